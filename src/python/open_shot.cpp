#include "python/open_shot.h"

#include "core/project/drive_ground.h"
#include "core/scene/placed_copy.h"
#include "io/files/series.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace garland {

namespace {

// Frames that were made in memory.
class FrameSource final : public Source {
  public:
    FrameSource(std::vector<PosePtr> frames, Rate rate, bool velocities) : frames_(std::move(frames)) {
        facts_.kind = SourceKind::mesh_cache;
        facts_.format = "in memory";
        facts_.last = static_cast<std::int64_t>(frames_.size()) - 1;
        facts_.points = facts_.varies.most_points = frames_.front()->points.size();
        facts_.faces = frames_.front()->faces->count();
        facts_.carries.velocities = velocities;
        facts_.box = bounds(*frames_.front());
        facts_.says.rate = rate;
    }
    const SourceFacts& facts() const override { return facts_; }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        return frames_[static_cast<std::size_t>(std::clamp<std::int64_t>(frame, 0, facts_.last))];
    }
    std::vector<std::string> files() const override { return {}; }

  private:
    std::vector<PosePtr> frames_;
    SourceFacts facts_;
};

constexpr const char* in_memory = "memory:"; // what such a source's path begins with

} // namespace

Result<OpenShot> OpenShot::open(const std::string& path, Progress& progress) {
    OpenShot out;
    out.path_ = path;
    GARLAND_TRY(project, load_project(path));
    GARLAND_CHECK(out.take(std::move(project), progress));
    return out;
}

Result<OpenShot> OpenShot::create(const std::string& name, const std::string& rate, FrameRange range) {
    Project p;
    p.settings.name = name;
    GARLAND_TRY(parsed, parse_rate(rate));
    p.settings.rate = parsed;
    p.settings.range = range;
    GARLAND_CHECK(validate(p));
    OpenShot out;
    GARLAND_CHECK(out.take(std::move(p), Progress::none()));
    return out;
}

Result<void> OpenShot::take(Project project, Progress& progress) {
    OpenSources sources;
    for (const SourceSpec& s : project.sources) { // those that are open, and those in memory
        const SourceSpec* before = project_.source(s.id);
        const auto at = sources_.find(s.id);
        if (before && at != sources_.end() && (s.path.rfind(in_memory, 0) == 0 || *before == s))
            sources[s.id] = at->second;
    }
    Project files = project;
    std::erase_if(files.sources, [&](const SourceSpec& s) { return sources.count(s.id) > 0; });
    std::vector<MissingSource> missing;
    OpenSources opened;
    GARLAND_CHECK(open_sources(files, path_, opened, missing, progress));
    for (auto& [id, one] : opened) sources[id] = std::move(one);
    sources.sounds = std::move(opened.sounds);
    GARLAND_TRY(learned, find_groundwork(project, sources, *cache_, progress));
    static_cast<void>(learned);
    show_ = make_show(project, sources, *cache_);
    project_ = std::move(project), sources_ = std::move(sources), missing_ = std::move(missing);
    return {};
}

std::string OpenShot::text() const {
    return project_text(project_);
}

Result<void> OpenShot::set_text(const std::string& text, Progress& progress) {
    GARLAND_TRY(project, parse_project(text, path_.empty() ? "the project" : path_));
    return take(std::move(project), progress);
}

Result<std::uint64_t> OpenShot::add_source(const std::string& path, const std::string& name,
                                           const std::vector<std::string>& choices, Progress& progress) {
    SourceChoices chosen;
    GARLAND_TRY(source, open_chosen(path, choices, chosen, progress));
    Project next = project_;
    const SourceId id = garland::add_source(next, name.empty() ? source_name(path) : name,
                                            path_.empty() ? path : relative_path(path, path_),
                                            length_of(source->facts(), next.settings.rate));
    next.source(id)->choices = std::move(chosen);
    GARLAND_CHECK(take(std::move(next), progress));
    return id.value;
}

Result<std::uint64_t> OpenShot::add_frames(const std::string& name, std::vector<PosePtr> frames, Rate rate,
                                           bool velocities) {
    if (frames.empty())
        return fail(
            Error{ErrorCode::invalid, "a source has at least one frame"}.advise("give at least one array of points"));
    const Pose& first = *frames.front();
    for (const std::uint32_t c : first.faces->corners) {
        if (c >= first.points.size())
            return fail(Error{ErrorCode::invalid,
                              fmt::format("a face has corner {}, and there are {} points", c, first.points.size())}
                            .advise("count corners from 0"));
    }
    auto source = std::make_shared<FrameSource>(std::move(frames), rate, velocities);
    Project next = project_;
    const SourceId id =
        garland::add_source(next, name, in_memory + name, length_of(source->facts(), next.settings.rate));
    sources_[id] = {source, PoseCache::new_serial()};
    Project with = next;
    project_.sources.push_back(*next.source(id)); // so that it is taken over as one that is open
    auto taken = take(std::move(with), Progress::none());
    if (!taken) {
        project_.sources.pop_back();
        sources_.erase(id);
        return fail(std::move(taken.error()));
    }
    return id.value;
}

Result<void> OpenShot::save(const std::string& path, bool replace) {
    for (const SourceSpec& s : project_.sources) {
        if (s.path.rfind(in_memory, 0) != 0) continue;
        return fail(Error{ErrorCode::unsupported, fmt::format("\"{}\" is in memory only", s.name)}
                        .keeping("nothing was saved")
                        .advise("hand it off as one-source, and add that file"));
    }
    Project out = project_;
    for (SourceSpec& s : out.sources) {
        if (!s.path.empty()) s.path = relative_path(path_.empty() ? s.path : absolute_path(s.path, path_), path);
    }
    GARLAND_CHECK(save_project(path, out, replace ? Existing::replace : Existing::refuse));
    path_ = path, project_ = std::move(out);
    return {};
}

Result<OpenShot::CopyState> OpenShot::at(double frame, Progress& progress) const {
    CopyState out;
    out.moments.resize(static_cast<std::size_t>(show_->copies()));
    out.places.resize(out.moments.size());
    for (const ArrangementShow& a : show_->arrangements) {
        const auto moments = moments_at(a, OutputFrame(frame));
        GARLAND_TRY(standing, places_at(a, OutputFrame(frame), moments, false, progress));
        for (std::size_t i = 0; i < moments.size(); ++i) {
            const auto n = static_cast<std::size_t>(a.number(i));
            out.moments[n] = moments[i];
            if (!standing.gone.empty() && standing.gone[i]) out.moments[n].marks |= mark_absent;
            out.places[n] = standing.places[i];
        }
    }
    return out;
}

std::vector<double> OpenShot::times(const std::vector<double>& frames) const {
    const auto copies = static_cast<std::size_t>(show_->copies());
    std::vector<double> out(frames.size() * copies, std::numeric_limits<double>::quiet_NaN());
    for (std::size_t f = 0; f < frames.size(); ++f) {
        for (const ArrangementShow& a : show_->arrangements) {
            const auto moments = moments_at(a, OutputFrame(frames[f]));
            for (std::size_t i = 0; i < moments.size(); ++i) {
                if (!moments[i].has(mark_absent))
                    out[f * copies + static_cast<std::size_t>(a.number(i))] = moments[i].source;
            }
        }
    }
    return out;
}

Result<OpenShot::PosedCopy> OpenShot::copy_at(std::int64_t number, double frame, Progress& progress) const {
    std::size_t index = 0;
    const ArrangementShow* a = show_->find(number, index);
    if (!a)
        return fail(
            Error{ErrorCode::not_found, fmt::format("there is no copy {}", number + 1)}.advise("count copies from 1"));
    if (!a->usable)
        return fail(Error{ErrorCode::not_found, "its source is not open"}.advise("look at missing for the reason"));
    Posed posed;
    posed.arrangement = a;
    posed.frame = OutputFrame(frame);
    posed.moments = moments_at(*a, posed.frame);
    if (a->moves()) {
        GARLAND_TRY(standing, places_at(*a, posed.frame, posed.moments, true, progress));
        posed.moved = std::move(standing.places), posed.motion = std::move(standing.motion);
        if (!standing.gone.empty() && standing.gone[index]) posed.moments[index].marks |= mark_absent;
    }
    posed.picks = pick_poses(a->plan, a->clock, posed.moments);
    const std::uint32_t pick = posed.picks.copies[index];
    PosedCopy out;
    if (pick == no_pose) return out;
    posed.poses.resize(posed.picks.poses.size());
    GARLAND_TRY(sampled, pose_of(a->sampler, posed.picks.poses[pick], progress));
    posed.poses[pick] = std::move(sampled);
    PlacedCopy placed;
    place_copy(posed, index, placed);
    out.pose = posed.poses[pick].pose;
    out.points = std::move(placed.points), out.normals = std::move(placed.normals);
    out.corner_normals = std::move(placed.corner_normals);
    out.velocities = std::move(placed.velocities);
    return out;
}

Result<PosePtr> OpenShot::source_at(std::uint64_t source, double source_frame, Progress& progress) const {
    const auto at = show_->samplers.find(SourceId(source));
    if (at == show_->samplers.end())
        return fail(Error{ErrorCode::not_found, fmt::format("there is no open source {}", source)}.advise(
            "sources lists those that are there"));
    GARLAND_TRY(sampled, at->second.at(SourceFrame(source_frame), progress));
    return sampled.pose;
}

} // namespace garland
