#include "io/tables/timing_table.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <fmt/format.h>

namespace garland {

namespace {
std::string csv_quoted(const std::string& text) { // RFC 4180
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

double shown_speed(float speed) {
    return parse_number(fmt::format("{}", speed)).value_or(speed);
}

TimingTable::TimingTable(const Show& show, const Project& project) : show_(show), project_(project) {
    visits_.resize(show.arrangements.size());
    for (std::size_t k = 0; k < visits_.size(); ++k) {
        const ArrangementShow& a = show.arrangements[k];
        if (!a.clocks.playing()) continue;
        visits_[k].resize(a.clocks.size());
        parallel_for(visits_[k].size(), 64, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to; ++i) visits_[k][i] = visits_of(a, i);
        });
    }
}

std::string TimingTable::header() {
    return "output_frame,copy,name,arrangement,source,source_frame,speed,visible,delay,level,entered,left,run_time\n";
}

void TimingTable::each_row(std::int64_t frame, const std::function<void(const Row&)>& take) {
    const OutputFrame t(static_cast<double>(frame));
    for (std::size_t k = 0; k < show_.arrangements.size(); ++k) {
        const ArrangementShow& a = show_.arrangements[k];
        const auto moments = moments_at(a, t);
        for (std::size_t i = 0; i < moments.size(); ++i) {
            const CopyMoment& m = moments[i];
            Row row{frame, a.number(i), project_.arrangement(a.id)->name, project_.source(a.source)->name, m, {}};
            if (a.clocks.playing())
                row.played =
                    played_at(a, i, t, static_cast<double>(m.delay), static_cast<double>(m.local), visits_[k][i]);
            take(row);
        }
    }
}

void TimingTable::append(std::int64_t frame, std::string& text) {
    auto cell = [](const std::optional<double>& v) { return v ? exact_number(*v) : std::string(); };
    each_row(frame, [&](const Row& r) {
        const CopyMoment& m = r.moment;
        const Played p = r.played.value_or(Played{});
        fmt::format_to(std::back_inserter(text), "{},{},{},{},{},{},{},{},{},{},{},{},{}\n", frame, r.number + 1,
                       copy_name(r.number, show_.copies()), csv_quoted(r.arrangement), csv_quoted(r.source),
                       exact_number(m.source), exact_number(shown_speed(m.speed)), m.has(mark_absent) ? 0 : 1,
                       exact_number(m.delay), r.played ? exact_number(p.level) : std::string(), cell(p.entered),
                       cell(p.left), cell(p.run_time));
    });
}

Result<void> write_timing_table(const std::string& path, const Show& show, const Project& project, FrameSteps frames,
                                Existing existing, Progress& progress) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    TimingTable table(show, project);
    std::string text = TimingTable::header();
    for (std::int64_t f = frames.range.first; f <= frames.range.last; f += frames.step) {
        if (progress.cancelled())
            return fail(Error{ErrorCode::cancelled, "stopped"}.at(path).keeping("nothing written"));
        progress.report(static_cast<double>(f - frames.range.first) / static_cast<double>(frames.range.count()),
                        fmt::format("frame {}", f));
        table.append(f, text);
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
        if (c.size() != 13) return bad("a row of the timing table has thirteen cells");
        double n[6];
        int k = 0;
        for (int column : {0, 1, 5, 6, 7, 8}) {
            const auto value = parse_number(c[static_cast<std::size_t>(column)]);
            if (!value) return bad("a number is expected here");
            n[k++] = *value;
        }
        TableRow& row = rows.emplace_back();
        row = {static_cast<std::int64_t>(n[0]), static_cast<std::int64_t>(n[1]), n[2], n[3], n[5], n[4] != 0};
        std::size_t column = 9;
        for (auto* value : {&row.level, &row.entered, &row.left, &row.run_time}) {
            const std::string& text_of = c[column++];
            if (text_of.empty()) continue;
            *value = parse_number(text_of);
            if (!*value) return bad("a number, or nothing, is expected here");
        }
    }
    return rows;
}

} // namespace garland
