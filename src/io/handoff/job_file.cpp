#include "io/handoff/job_file.h"

#include "io/handoff/manifest.h"
#include "io/handoff/order_json.h"
#include "io/project/project_file.h"

#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

std::string replaced(std::string text, const std::string& word, const std::string& by) {
    for (std::size_t at = text.find(word); at != text.npos; at = text.find(word, at + by.size()))
        text.replace(at, word.size(), by);
    return text;
}

std::string absolute(const std::string& path) {
    std::error_code none;
    return std::filesystem::absolute(path, none).lexically_normal().string();
}

} // namespace

std::string in_shell(const std::string& word) {
    return "'" + replaced(word, "'", "'\\''") + "'";
}

Result<void> write_job(const HandoffJob& job, Existing existing) {
    const std::string path = absolute(job.path());
    Json j{{"garland_job", 1}, {"project", relative_path(absolute(job.project), path)}};
    put_order(j, job.order);
    j["chunks"] = job.chunks;
    return write_file(path, j.dump(1) + "\n", existing);
}

Result<HandoffJob> read_job(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 20));
    auto wrong = [&](const std::string& what) {
        return fail(Error{ErrorCode::malformed, what}.at(path).advise("write the job file again"));
    };
    const Json j = Json::parse(bytes.begin(), bytes.end(), nullptr, false);
    if (j.is_discarded() || !j.is_object()) return wrong("is no job file");
    try {
        if (j.at("garland_job").get<int>() != 1) return wrong("is a job file of a newer version");
        HandoffJob job;
        job.project = absolute_path(j.at("project").get<std::string>(), absolute(path));
        HandoffOrder& o = job.order;
        o = order_in(j, folder_of(absolute(path)));
        o.existing = WhatIsThere::resume;
        job.chunks = j.at("chunks").get<int>();
        if (job.chunks < 1 || job.chunks > 100'000) return wrong(fmt::format("asks for {} chunks", job.chunks));
        if (auto fine = validate(o); !fine) return wrong("is no job file: " + fine.error().message);
        return job;
    } catch (const Json::exception& e) {
        return wrong(fmt::format("is no job file ({})", e.what()));
    }
}

Result<JobState> state_of(const HandoffJob& job) {
    JobState state;
    // Moments inside the shutter count as frames where each has a file of its own.
    state.frames = job.order.each_copy ? job.order.frames.count() : job.order.frames.moments();
    const std::string manifest = manifest_path(job.order);
    if (file_exists(manifest)) {
        GARLAND_TRY(m, read_manifest(manifest));
        state.whole = true;
        state.complete = state.frames;
        return state;
    }
    GARLAND_TRY(files, journalled(job.order, {}));
    std::set<std::int64_t> begun; // of what is a file a copy: frames of which some file is complete
    for (const auto& [name, file] : files) {
        if (extension(name) != job.order.ending) continue;
        state.complete += job.order.each_copy ? begun.insert(file.frame.value_or(0)).second : 1;
    }
    return state;
}

Result<FarmScripts> write_farm(const FarmOrder& order, Existing existing) {
    const HandoffJob& job = order.job;
    const std::string path = absolute(job.path()), stem = path.substr(0, path.size() - 9); // without ".job.json"
    const std::string call = in_shell(order.cli) + " handoff --quiet --job " + in_shell(path);
    const std::string verify = in_shell(order.cli) + " verify --quiet " + in_shell(absolute(manifest_path(job.order)));
    FarmScripts out;
    auto write = [&](const std::string& name, const std::string& text) -> Result<void> {
        GARLAND_CHECK(write_file(name, text, existing));
        std::error_code none;
        std::filesystem::permissions(name, std::filesystem::perms::owner_exec | std::filesystem::perms::group_exec,
                                     std::filesystem::perm_options::add, none);
        out.files.push_back(name);
        return {};
    };
    if (order.engine == "slurm") {
        std::string limits;
        if (order.memory > 0) limits += fmt::format("#SBATCH --mem={}M\n", order.memory);
        if (order.minutes > 0) limits += fmt::format("#SBATCH --time={}\n", order.minutes);
        const std::string head =
            fmt::format("#!/bin/sh\n#SBATCH --job-name={}\n#SBATCH --cpus-per-task=1\n{}", job.order.stem(), limits);
        GARLAND_CHECK(write(stem + ".array.sh",
                            fmt::format("{}#SBATCH --array=1-{}\n#SBATCH --requeue\n#SBATCH --output={}.%a.log\n"
                                        "exec {} --chunk \"$SLURM_ARRAY_TASK_ID/{}\"\n",
                                        head, job.chunks, stem, call, job.chunks)));
        GARLAND_CHECK(
            write(stem + ".verify.sh", fmt::format("{}#SBATCH --output={}.verify.log\nexec {}\n", head, stem, verify)));
        return out;
    }
    if (order.template_text.find("{command}") == std::string::npos) {
        return fail(Error{ErrorCode::invalid, "the template has no {command}"}
                        .keeping("nothing was written")
                        .advise("write {command} where a share's command belongs; {chunk}, {chunks} and {verify} are "
                                "known, too"));
    }
    for (int k = 1; k <= job.chunks; ++k) {
        std::string text =
            replaced(order.template_text, "{command}", fmt::format("{} --chunk {}/{}", call, k, job.chunks));
        text = replaced(std::move(text), "{chunk}", std::to_string(k));
        text = replaced(std::move(text), "{chunks}", std::to_string(job.chunks));
        GARLAND_CHECK(write(fmt::format("{}.{}.sh", stem, k), replaced(std::move(text), "{verify}", verify)));
    }
    GARLAND_CHECK(write(stem + ".verify.sh", "#!/bin/sh\nexec " + verify + "\n"));
    return out;
}

} // namespace garland
