#include "cli/opened.h"

#include "core/project/findings.h"
#include "io/handoff/outputs.h"
#include "render/report.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sstream>

namespace garland {

using Json = nlohmann::ordered_json;

namespace {

// "twins,pop": which kinds make the command fail; nothing: all.
Result<std::vector<FindingKind>> kinds_of(const std::string& text) {
    std::vector<FindingKind> out;
    std::string known;
    const auto hyphenated = [](std::string word) {
        std::replace(word.begin(), word.end(), ' ', '-');
        return word;
    };
    for (FindingKind k : finding_kinds) known += fmt::format("{}{}", known.empty() ? "" : ", ", hyphenated(to_text(k)));
    std::istringstream words(text);
    for (std::string one; std::getline(words, one, ',');) {
        const auto* at = std::find_if(std::begin(finding_kinds), std::end(finding_kinds),
                                      [&](FindingKind k) { return hyphenated(one) == hyphenated(to_text(k)); });
        if (at == std::end(finding_kinds))
            return fail(
                Error{ErrorCode::invalid, fmt::format("\"{}\" is no kind of finding", one)}.advise("use " + known));
        out.push_back(*at);
    }
    return out;
}

// What a hand-off of the whole range would need, and what its disk has.
Result<CheckOptions::Space> space_for(const CheckWords& words, const Opened& opened, Progress& progress) {
    HandoffOrder order;
    order.output = words.what, order.folder = words.folder, order.name = "copies";
    if (!words.as.empty()) order.ending = "." + words.as;
    order.frames = {opened.show->settings.range, 1};
    order.existing = WhatIsThere::replace;
    for (const HandoffOutput& o : outputs()) {
        if (o.word == order.output && order.ending.empty()) order.ending = o.endings.front();
    }
    GARLAND_TRY(output, output_called(order));
    if (output->of_source && !opened.project.project.sources.empty())
        order.source = opened.project.project.sources.front().id;
    const HandoffInput input{opened.project.project, opened.project.sources, opened.show, *opened.cache};
    GARLAND_TRY(plan, plan_handoff(input, order, progress));
    return CheckOptions::Space{output->label, words.folder, plan.bytes, plan.free};
}

void print_report(const Report& report, const Opened& opened, Output out) {
    if (out.json) {
        auto list = [](const std::vector<Finding>& all, bool reasons) {
            Json out_list = Json::array();
            for (const Finding& f : all) {
                Json copies = Json::array();
                for (auto c : f.copies) copies.push_back(c + 1);
                out_list.push_back({{"kind", to_text(f.kind)},
                                    {"words", f.words},
                                    {"frame", f.frame},
                                    {"share", f.share},
                                    {"copies", copies},
                                    {"key", f.key}});
                if (reasons) out_list.back()["reason"] = f.reason;
            }
            return out_list;
        };
        Json missing = Json::array();
        for (const auto& m : opened.project.missing) missing.push_back(error_json(m.error));
        print_json({{"findings", list(report.findings, false)},
                    {"ignored", list(report.ignored, true)},
                    {"examined", report.examined},
                    {"missing_sources", missing}});
    } else {
        for (const Finding& f : report.findings) {
            fmt::print("{}: {} (first at output frame {}; key {})\n", to_text(f.kind), f.words, f.frame, f.key);
        }
        if (report.findings.empty()) fmt::print("nothing found\n");
        for (const Finding& f : report.ignored)
            fmt::print("ignored: {}{} (key {})\n", f.words, f.reason.empty() ? "" : ": " + f.reason, f.key);
        for (const auto& line : report.examined) fmt::print("examined {}\n", line);
    }
}

} // namespace

int check_command(const CheckWords& words, Output out) {
    const std::string& path = words.project;
    auto fail_on = kinds_of(words.fail_on);
    if (!fail_on) return usage(fail_on.error(), out);
    TerminalProgress progress(out);
    auto opened = open(path, progress);
    if (!opened) return report_error(opened.error(), out);
    warn_missing(*opened);
    CheckOptions options{words.crowding, {}};
    if (!words.folder.empty()) {
        auto space = space_for(words, *opened, progress);
        if (!space) return report_error(space.error(), out);
        options.space = std::move(*space);
    }
    auto report = check(*opened->show, progress, options);
    if (!report) return report_error(report.error(), out);
    print_report(*report, *opened, out);
    if (!words.report.empty()) {
        auto page = html_report(*report, *opened->show, opened->project.project, {}, progress);
        if (!page) return report_error(page.error(), out);
        if (auto ok = write_file(words.report, *page, words.replace ? Existing::replace : Existing::refuse); !ok)
            return report_error(ok.error(), out);
    }
    if (!opened->project.missing.empty()) return exit_error;
    const bool found = std::any_of(report->findings.begin(), report->findings.end(), [&](const Finding& f) {
        return fail_on->empty() || std::find(fail_on->begin(), fail_on->end(), f.kind) != fail_on->end();
    });
    return found ? exit_findings : exit_fine;
}

} // namespace garland
