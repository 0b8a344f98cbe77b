#include "io/tables/curve_file.h"

#include "core/base/numbers.h"
#include "core/time/timing_plan.h"
#include "io/files/csv.h"
#include "io/project/earlier_names.h"
#include "io/project/timing_json.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace garland {

namespace {

constexpr int curve_version = 1;

bool looks_like_decimal_comma(std::string_view cell) {
    const auto comma = cell.find(',');
    if (comma == cell.npos) return false;
    std::string point(cell);
    point[comma] = '.';
    return parse_number(point).has_value();
}

// Drops keys that straight lines between the others pass through.
std::vector<Key> without_collinear(const std::vector<Key>& keys) {
    std::vector<Key> kept;
    std::size_t from = 0;
    while (from < keys.size()) {
        kept.push_back(keys[from]);
        double low = -std::numeric_limits<double>::infinity(), high = -low;
        std::size_t to = from + 1, best = to;
        for (; to < keys.size(); ++to) {
            const double run = keys[to].at - keys[from].at, rise = keys[to].source - keys[from].source;
            const double slope = rise / run, room = 1e-9 / run;
            if (slope >= low && slope <= high) best = to;
            low = std::max(low, slope - room);
            high = std::min(high, slope + room);
            if (low > high) break;
        }
        from = best;
    }
    return kept;
}

// A table of frames while it is read, row by row.
class CurveRows {
  public:
    explicit CurveRows(const std::string& path) : path_(path) {}

    Result<void> take(std::string_view row) {
        ++line_;
        if (row.empty()) return {};
        const char separator = row.find(';') != row.npos ? ';' : row.find('\t') != row.npos ? '\t' : ',';
        split_cells(row, separator, cells_);
        if (separator != ',') {
            for (auto cell : cells_) {
                if (looks_like_decimal_comma(cell))
                    return decimal_commas(fmt::format("\"{}\" has a comma where numbers need a point", cell));
            }
        }
        if (!any_ && !parse_number(cells_[0])) return take_header();
        any_ = true;
        if (separator == ',' && cells_.size() >= 3 && output_ < 2 && source_ < 2) {
            // 1,5,2,5 for 1.5 and 2.5: four cells, or three with one whole number.
            bool numbers = cells_.size() <= 4;
            for (auto cell : cells_) numbers = numbers && parse_number(cell).has_value();
            if (numbers) {
                return decimal_commas(fmt::format(
                    "{} numbers in a row where two are wanted; these look like decimal commas", cells_.size()));
            }
        }
        return take_key();
    }
    // Errors: malformed, by the line that was taken last.
    Result<std::vector<Key>> end() {
        line_ = std::max<std::int64_t>(line_, 1);
        if (keys_.empty()) return bad("there is no row with an output frame and a source frame");
        return std::move(keys_);
    }

  private:
    Error wrong(ErrorCode code, std::string what) const {
        return Error{code, std::move(what)}.at(path_).at_line(line_).keeping("the timing as it is");
    }
    tl::unexpected<Error> bad(std::string what) const { return fail(wrong(ErrorCode::malformed, std::move(what))); }
    tl::unexpected<Error> decimal_commas(std::string what) const {
        return fail(wrong(ErrorCode::malformed, std::move(what))
                        .advise("write numbers with a point, and a comma between the two columns"));
    }
    Result<void> take_header() {
        any_ = true;
        auto find = [&](std::string_view name) {
            return static_cast<std::size_t>(std::find(cells_.begin(), cells_.end(), name) - cells_.begin());
        };
        output_ = find("output_frame");
        source_ = find("source_frame");
        if (output_ < cells_.size() && source_ < cells_.size()) return {};
        return bad("the header must name the columns output_frame and source_frame");
    }
    Result<void> take_key() {
        if (std::max(output_, source_) >= cells_.size()) return bad("a row needs an output frame and a source frame");
        const auto t = parse_number(cells_[output_]), s = parse_number(cells_[source_]);
        if (!t) return bad(fmt::format("\"{}\" is not an output frame", std::string(cells_[output_]).substr(0, 40)));
        if (!s) return bad(fmt::format("\"{}\" is not a source frame", std::string(cells_[source_]).substr(0, 40)));
        if (std::abs(*t) > frame_limit || std::abs(*s) > frame_limit) return bad("a frame beyond a thousand million");
        if (!keys_.empty() && !(keys_.back().at.value < *t)) {
            return bad(*t == keys_.back().at.value
                           ? fmt::format("output frame {} is there twice", short_number(*t))
                           : fmt::format("output frame {} comes after {}: rows must rise", short_number(*t),
                                         short_number(keys_.back().at.value)));
        }
        if (keys_.size() == key_limit) {
            return fail(wrong(ErrorCode::too_large, fmt::format("more than {} rows", key_limit))
                            .advise("leave out rows that lie on straight lines"));
        }
        keys_.push_back({OutputFrame(*t), SourceFrame(*s)});
        return {};
    }

    std::string path_;
    std::vector<Key> keys_;
    std::size_t output_ = 0, source_ = 1; // columns
    std::int64_t line_ = 0;
    bool any_ = false; // row but the header
    std::vector<std::string_view> cells_;
};

Result<Curve> parse_csv(std::string_view text, const std::string& path) {
    CurveRows table(path);
    while (!text.empty()) GARLAND_CHECK(table.take(take_line(text)));
    GARLAND_TRY(keys, table.end());
    Curve curve;
    const auto rows = static_cast<long long>(keys.size());
    curve.timing.map.keys = without_collinear(keys);
    curve.words =
        fmt::format("{} from {}", counted(curve.timing.map.keys.size(), "key", "keys"), counted(rows, "row", "rows"));
    return curve;
}

Result<Curve> parse_json(std::string_view text, const std::string& path) {
    const std::string kept = "the timing as it is";
    auto json = read_json(text, path);
    if (!json) {
        Error error = std::move(json.error());
        error.message = "this is not JSON: " + error.message;
        return fail(std::move(error).keeping(kept));
    }
    try {
        if (json->is_object() && json->contains("timing")) take_earlier_names_of_timing((*json)["timing"]);
        const JsonPart file(*json, "the file");
        if (!file.get("garland_timing") || !file.get("timing")) {
            throw BadJson{"this is not a timing: the fields \"garland_timing\" and \"timing\" must be there"};
        }
        if (file.whole("garland_timing", 1, 0, 1'000'000) > curve_version) {
            return fail(Error{ErrorCode::newer_version, "was written by a newer Garland"}.at(path).keeping(kept));
        }
        Curve curve;
        curve.outside = true;
        curve.timing = read_timing(JsonPart(*file.get("timing"), "the timing"), false);
        curve.timing.id = {};
        if (auto ok = validate(curve.timing); !ok) return fail(std::move(ok.error()).at(path).keeping(kept));
        const Timing& t = curve.timing;
        curve.words = t.form == TimingForm::phrases
                          ? counted(t.phrases.list.size(), "phrase", "phrases")
                          : counted(static_cast<long long>(t.form == TimingForm::speeds ? t.speeds.keys.size()
                                                                                        : t.map.keys.size()),
                                    t.form == TimingForm::speeds ? "speed key" : "key",
                                    t.form == TimingForm::speeds ? "speed keys" : "keys");
        return curve;
    } catch (const BadJson& bad) {
        return fail(Error{ErrorCode::malformed, bad.message}.at(path).keeping(kept));
    } catch (const Json::exception& error) {
        return fail(Error{ErrorCode::malformed, error.what()}.at(path).keeping(kept));
    }
}

} // namespace

Result<std::string> curve_csv(const Timing& timing) {
    const double first = span_first(timing).value;
    double last = first + span_length(timing);
    if (timing.form == TimingForm::phrases && !timing.slider) last = std::max(first, std::ceil(last) - 1);
    std::vector<double> frames;
    if (last - first > static_cast<double>(key_limit)) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("{:.0f} rows are more than a curve file may have", last - first)}
                .advise("write it as JSON"));
    }
    frames.push_back(first);
    for (double t = std::floor(first) + 1; t < last; ++t) frames.push_back(t);
    frames.push_back(last);
    if (timing.form == TimingForm::positions && !timing.slider) {
        for (const Key& k : timing.map.keys) frames.push_back(k.at.value);
    }
    std::sort(frames.begin(), frames.end());
    frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
    if (frames.size() > key_limit)
        return fail(Error{ErrorCode::too_large, "more rows than a curve file may have"}.advise(
            "write JSON, which holds the keys alone"));
    const TimingPlan plan(timing);
    std::string text = "output_frame,source_frame\n";
    for (double t : frames) {
        // The span's end itself, not what a repeat shows there.
        const bool end = t == last && timing.form == TimingForm::positions && !timing.slider;
        const double s = end ? timing.map.keys.back().source.value : plan.at(OutputFrame(t)).source;
        text += exact_number(t) + ',' + exact_number(s) + '\n';
    }
    return text;
}

std::string curve_json(const Timing& timing, Rate rate) {
    Json t = timing_json(timing);
    t.erase("id");
    const Json json{{"garland_timing", curve_version}, {"rate", to_text(rate)}, {"timing", std::move(t)}};
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<Curve> parse_curve(std::string_view text, const std::string& path) {
    const auto first = text.find_first_not_of(" \t\r\n");
    if (first != text.npos && text[first] == '{') return parse_json(text, path);
    return parse_csv(text, path);
}

Timing with_curve(const Timing& now, const Curve& curve) {
    Timing next = curve.timing;
    next.id = now.id;
    next.name = now.name;
    next.extra = now.extra;
    if (!curve.outside) next.before = now.before, next.after = now.after;
    return next;
}

Result<Curve> read_curve(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(256) << 20));
    return parse_curve({bytes.data(), bytes.size()}, path);
}

Result<void> write_curve(const std::string& path, const Timing& timing, Rate rate, Existing existing) {
    const std::string ending = extension(path);
    if (ending == ".json") return write_file(path, curve_json(timing, rate), existing);
    if (ending != ".csv") {
        return fail(
            Error{ErrorCode::unsupported, fmt::format("a timing is written as .csv or .json, not \"{}\"", ending)}
                .advise("give the file one of those endings")
                .at(path));
    }
    GARLAND_TRY(text, curve_csv(timing));
    return write_file(path, text, existing);
}

} // namespace garland
