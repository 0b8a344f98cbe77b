#include "core/source/source.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

std::int64_t Source::present(std::int64_t file_frame) const {
    const SourceFacts& f = facts();
    file_frame = std::clamp(file_frame, f.first, f.last);
    while (file_frame > f.first && std::binary_search(f.missing.begin(), f.missing.end(), file_frame)) --file_frame;
    return file_frame;
}

std::int64_t Source::next_present(std::int64_t file_frame) const {
    const SourceFacts& f = facts();
    file_frame = std::clamp(file_frame, f.first, f.last);
    while (file_frame < f.last && std::binary_search(f.missing.begin(), f.missing.end(), file_frame)) ++file_frame;
    return file_frame;
}

const char* to_text(SourceKind kind) {
    switch (kind) {
    case SourceKind::mesh_cache: return "moving mesh";
    case SourceKind::mesh_sequence: return "changing mesh";
    case SourceKind::pieces: return "pieces";
    case SourceKind::keyed_parts: return "keyed parts";
    case SourceKind::particles: return "particles";
    case SourceKind::volume: return "volume";
    case SourceKind::shapes: return "shapes";
    case SourceKind::water: return "water";
    }
    return "moving mesh";
}

const char* to_text(UpAxis up) {
    return word_of(up_words, up);
}

std::string frame_list(const std::vector<std::int64_t>& frames) {
    if (frames.size() == 1) return fmt::format("frame {}", frames[0]);
    const auto last = frames.back();
    if (last - frames[0] + 1 == static_cast<std::int64_t>(frames.size()))
        return fmt::format("frames {} to {}", frames[0], last);
    if (frames.size() == 2) return fmt::format("frames {} and {}", frames[0], last);
    return fmt::format("frames {}, {} and {} more", frames[0], frames[1], frames.size() - 2);
}

namespace {

class ThinnedSource final : public Source {
  public:
    ThinnedSource(SourcePtr whole, std::vector<std::int64_t> dropped)
        : whole_(std::move(whole)), facts_(whole_->facts()) {
        std::erase_if(dropped, [&](std::int64_t f) { return f <= facts_.first || f > facts_.last; }); // the first stays
        std::erase_if(facts_.problems, [&](const SourceProblem& p) {
            return p.frame && std::find(dropped.begin(), dropped.end(), *p.frame) != dropped.end();
        });
        const bool by_count = facts_.varies.faces_change_at && !facts_.varies.odd_frames.empty() &&
                              *facts_.varies.faces_change_at == facts_.varies.odd_frames.front();
        std::erase_if(facts_.varies.odd_frames,
                      [&](std::int64_t f) { return std::find(dropped.begin(), dropped.end(), f) != dropped.end(); });
        if (by_count) {
            facts_.varies.faces_change_at.reset();
            if (!facts_.varies.odd_frames.empty()) facts_.varies.faces_change_at = facts_.varies.odd_frames.front();
            if (!facts_.varies.faces_change_at && facts_.kind == SourceKind::mesh_sequence)
                facts_.kind = SourceKind::mesh_cache;
        }
        facts_.missing.insert(facts_.missing.end(), dropped.begin(), dropped.end());
        std::sort(facts_.missing.begin(), facts_.missing.end());
        facts_.missing.erase(std::unique(facts_.missing.begin(), facts_.missing.end()), facts_.missing.end());
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return whole_->files(); }
    Result<PosePtr> read(std::int64_t frame, Progress& progress) const override {
        return whole_->read(present(frame), progress);
    }
    std::vector<PartName> parts() const override { return whole_->parts(); }
    bool makes_between(SubFrame how) const override { return whole_->makes_between(how); }
    Result<PosePtr> between(const Between& way, Progress& progress) const override {
        return whole_->between(way, progress);
    }

  private:
    SourcePtr whole_;
    SourceFacts facts_;
};

} // namespace

SourcePtr without_frames(const SourcePtr& source, const std::vector<std::int64_t>& dropped) {
    if (dropped.empty() || source->any_time()) return source;
    return std::make_shared<ThinnedSource>(source, dropped);
}

} // namespace garland
