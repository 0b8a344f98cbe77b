#include "render/report.h"

#include "core/base/base64.h"
#include "core/base/numbers.h"
#include "render/picture_file.h"
#include "render/render.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

std::string escaped(std::string_view text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
        case '&': out += "&amp;"; break;
        case '<': out += "&lt;"; break;
        case '>': out += "&gt;"; break;
        case '"': out += "&quot;"; break;
        default: out += c;
        }
    }
    return out;
}

std::string numbers_of(const Finding& f) {
    std::string out;
    for (std::size_t i = 0; i < std::min<std::size_t>(f.copies.size(), 40); ++i)
        out += fmt::format("{}{}", i ? ", " : "", f.copies[i] + 1);
    if (f.copies.size() > 40) out += fmt::format(" and {} more", f.copies.size() - 40);
    return out;
}

constexpr const char* style =
    R"(body{font:15px/1.5 sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#1d2429}
h1{font-size:1.6rem}h2{font-size:1.15rem;border-bottom:1px solid #c8d0d6;margin-top:2rem}
article{display:flex;gap:1rem;margin:1rem 0;align-items:flex-start}img{width:320px;height:auto;border-radius:4px}
small,.muted{color:#5b6870}.ok{color:#176b3a}ul{padding-left:1.2rem}
@media(prefers-color-scheme:dark){
  body{background:#14191d;color:#dde4e8}small,.muted{color:#93a1aa}.ok{color:#6fcf97}
})";

} // namespace

Result<std::string> html_report(const Report& report, const Show& show, const Project& project, const ReportLook& look,
                                Progress& progress) {
    const Settings& s = project.settings;
    const std::string name = s.name.empty() ? "project" : s.name;
    std::string out =
        fmt::format("<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">"
                    "<meta name=\"viewport\" content=\"width=device-width\">"
                    "<title>Check of {0}</title><style>{1}</style></head><body>\n<h1>Check of {0}</h1>\n"
                    "<p>{2}, output frames {3} to {4}, {5} frames a second. {6}{7}.</p>\n",
                    escaped(name), style, counted(show.copies(), "copy", "copies"), s.range.first, s.range.last,
                    escaped(to_text(s.rate)),
                    report.findings.empty() ? std::string("<span class=\"ok\">Nothing found</span>")
                                            : counted(report.findings.size(), "finding", "findings"),
                    report.ignored.empty() ? std::string() : fmt::format(", {} ignored", report.ignored.size()));
    int pictures = 0;
    const int most = std::min<int>(look.pictures, static_cast<int>(report.findings.size()));
    for (FindingKind kind : finding_kinds) {
        if (report.count(kind) == 0) continue;
        out += fmt::format("<h2>{}</h2>\n", escaped(title_of(kind)));
        for (const Finding& f : report.findings) {
            if (f.kind != kind) continue;
            out += "<article>";
            if (pictures < most && !f.copies.empty()) {
                PartOf part(progress, static_cast<double>(pictures) / most, static_cast<double>(pictures + 1) / most);
                PreviewLook picture;
                picture.width = look.width, picture.height = look.height, picture.samples = look.samples;
                picture.marked = f.copies;
                picture.shutter = 0;
                std::sort(picture.marked.begin(), picture.marked.end());
                GARLAND_TRY(made,
                            render_frame(show, project, OutputFrame(static_cast<double>(f.frame)), picture, part));
                const std::vector<char> png = png_bytes(made, 8, false);
                out += fmt::format(
                    "<img alt=\"Output frame {}, the copies meant in red\" src=\"data:image/png;base64,{}\">", f.frame,
                    base64(std::string_view(png.data(), png.size())));
                ++pictures;
            }
            out += fmt::format("<div><p>{}</p><small>First at output frame {}. Copies {}.</small></div></article>\n",
                               escaped(f.words), f.frame, numbers_of(f));
        }
    }
    if (!report.ignored.empty()) {
        out += "<h2>Ignored</h2>\n<ul>\n";
        for (const Finding& f : report.ignored)
            out += fmt::format("<li>{}{}</li>\n", escaped(f.words),
                               f.reason.empty() ? std::string(" <small>no reason given</small>")
                                                : fmt::format(" <small>Because: {}</small>", escaped(f.reason)));
        out += "</ul>\n";
    }
    out += "<h2>Examined</h2>\n<ul class=\"muted\">\n";
    for (const std::string& line : report.examined) out += fmt::format("<li>{}</li>\n", escaped(line));
    out += "</ul>\n</body></html>\n";
    return out;
}

} // namespace garland
