#include "io/project/open_project.h"

#include "io/files/sound_file.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"

namespace garland {

Result<SourcePtr> open_spec(const SourceSpec& spec, const std::string& project_path, Progress& progress) {
    if (spec.water) {
        GARLAND_CHECK(validate(*spec.water));
        return make_water(*spec.water, spec.rate);
    }
    if (!spec.shapes.empty()) {
        std::vector<std::string> files;
        for (const std::string& file : spec.shapes) files.push_back(absolute_path(file, project_path));
        return open_shapes(files, spec.shape_frames, progress);
    }
    return open_source(absolute_path(spec.path, project_path), progress, spec.choices);
}

OpenSound open_sound(const SoundSpec& spec, const std::string& project_path, Progress& progress) {
    OpenSound out;
    out.path = spec.path, out.channel = spec.channel;
    auto samples = read_sound_file(absolute_path(spec.path, project_path), spec.channel, progress);
    if (samples) {
        out.samples = std::move(*samples);
    } else {
        out.problem = samples.error();
    }
    return out;
}

Result<void> open_sources(const Project& project, const std::string& path, OpenSources& sources,
                          std::vector<MissingSource>& missing, Progress& progress) {
    double done = 0;
    for (const SourceSpec& spec : project.sources) {
        const auto parts = static_cast<double>(project.sources.size());
        PartOf part(progress, done / parts, (done + 1) / parts);
        done += 1;
        auto source = open_spec(spec, path, part);
        if (source) {
            sources[spec.id] = {std::move(*source), PoseCache::new_serial()};
        } else if (source.error().code == ErrorCode::cancelled) {
            return fail(std::move(source.error()));
        } else {
            Error error = std::move(source.error());
            if (error.advice.empty()) error.advice = "find the file, or put it back and open the project again";
            missing.push_back({spec.id, std::move(error)});
        }
    }
    for (const SoundSpec& spec : project.sounds) {
        OpenSound sound = open_sound(spec, path, progress);
        if (sound.problem && sound.problem->code == ErrorCode::cancelled) return fail(*sound.problem);
        sources.sounds[spec.id] = std::move(sound);
    }
    return {};
}

Result<OpenedProject> open_project(const std::string& path, Progress& progress) {
    GARLAND_TRY(project, load_project(path));
    return open_project(std::move(project), path, progress);
}

Result<OpenedProject> open_project(Project project, const std::string& path, Progress& progress) {
    OpenedProject out;
    out.project = std::move(project);
    GARLAND_CHECK(open_sources(out.project, path, out.sources, out.missing, progress));
    return out;
}

} // namespace garland
