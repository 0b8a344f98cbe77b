#include "io/tables/timing_table.h"

#include "core/base/numbers.h"

#include <fmt/format.h>

namespace garland {

namespace {
std::string quoted(const std::string& text) { // RFC 4180
    if (text.find_first_of(",\"\r\n") == text.npos) return text;
    std::string out = "\"";
    for (char c : text) {
        if (c == '"') out += '"';
        out += c;
    }
    return out + '"';
}

std::vector<std::string> cells(std::string_view line) {
    std::vector<std::string> out(1);
    bool inside = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (inside && c == '"' && i + 1 < line.size() && line[i + 1] == '"') {
            out.back() += '"';
            ++i;
        } else if (c == '"') {
            inside = !inside;
        } else if (c == ',' && !inside) {
            out.emplace_back();
        } else if (c != '\r') {
            out.back() += c;
        }
    }
    return out;
}
} // namespace

std::string table_header() {
    return "output_frame,copy,name,arrangement,source,source_frame,speed,visible,delay\n";
}

double shown_speed(float speed) {
    return parse_number(fmt::format("{}", speed)).value_or(speed);
}

void append_table_rows(const Show& show, const Project& project, std::int64_t frame, std::string& text) {
    for (const ArrangementShow& a : show.arrangements) {
        const auto moments = moments_at(a, OutputFrame(static_cast<double>(frame)));
        const std::string arrangement = quoted(project.arrangement(a.id)->name);
        const std::string source = quoted(project.source(a.source)->name);
        for (std::size_t i = 0; i < moments.size(); ++i) {
            const CopyMoment& m = moments[i];
            const std::int64_t number = a.number(i);
            fmt::format_to(std::back_inserter(text), "{},{},{},{},{},{},{},{},{}\n", frame, number + 1,
                           copy_name(number, show.copies()), arrangement, source, exact_number(m.source),
                           exact_number(shown_speed(m.speed)), m.has(mark_absent) ? 0 : 1, exact_number(m.delay));
        }
    }
}

Result<void> write_timing_table(const std::string& path, const Show& show, const Project& project, FrameSteps frames,
                                Existing existing, Progress& progress) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    std::string text = table_header();
    for (std::int64_t f = frames.range.first; f <= frames.range.last; f += frames.step) {
        if (progress.cancelled())
            return fail(Error{ErrorCode::cancelled, "stopped"}.at(path).keeping("nothing written"));
        progress.report(static_cast<double>(f - frames.range.first) / static_cast<double>(frames.range.count()),
                        fmt::format("frame {}", f));
        append_table_rows(show, project, f, text);
        if (text.size() > (1u << 20)) {
            file.write(text);
            text.clear();
        }
    }
    file.write(text);
    return file.commit();
}

Result<std::vector<TableRow>> read_timing_table(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes));
    std::string_view text(bytes.data(), bytes.size());
    std::vector<TableRow> rows;
    std::int64_t line = 0;
    while (!text.empty()) {
        const auto end = std::min(text.find('\n'), text.size());
        const std::string_view one = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        if (++line == 1 || one.empty()) continue;
        const auto c = cells(one);
        auto bad = [&](const char* what) { return fail(Error{ErrorCode::malformed, what}.at(path).at_line(line)); };
        if (c.size() != 9) return bad("a row of the timing table has nine cells");
        double n[6];
        int k = 0;
        for (int column : {0, 1, 5, 6, 7, 8}) {
            const auto value = parse_number(c[static_cast<std::size_t>(column)]);
            if (!value) return bad("a number is expected here");
            n[k++] = *value;
        }
        rows.push_back({static_cast<std::int64_t>(n[0]), static_cast<std::int64_t>(n[1]), n[2], n[3], n[5], n[4] != 0});
    }
    return rows;
}

} // namespace garland
