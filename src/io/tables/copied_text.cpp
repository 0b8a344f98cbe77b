#include "io/tables/copied_text.h"

#include "core/base/numbers.h"
#include "io/files/csv.h"
#include "io/project/arrangement_json.h"
#include "io/project/drive_json.h"
#include "io/project/earlier_names.h"
#include "io/project/timing_json.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

const Word<KeyValue> value_words[] = {
    {"source_frame", KeyValue::source_frame}, {"speed", KeyValue::speed}, {"per_cent", KeyValue::per_cent}};
constexpr std::size_t most_rows = 1'000'000;
constexpr int part_version = 1;

char separator_of(std::string_view row) {
    for (const char c : {'\t', ';', ','}) {
        if (row.find(c) != row.npos) return c;
    }
    return '\t';
}

Result<Key> key_of(const std::vector<std::string_view>& cells, std::int64_t line) {
    auto wrong = [&](std::string what) {
        return fail(Error{ErrorCode::malformed, std::move(what)}.at_line(line).advise(
            "copy two columns: output frame and value, with a point in numbers"));
    };
    if (cells.size() < 2 || cells.size() > 5) return wrong(fmt::format("a row has {} cells", cells.size()));
    const auto at = parse_number(cells[0]), value = parse_number(cells[1]);
    if (!at || !value) return wrong(fmt::format("\"{}\" is no number", at ? cells[1] : cells[0]));
    Key key{OutputFrame(*at), SourceFrame(*value)};
    if (cells.size() > 2 && !cells[2].empty()) {
        const auto* word = std::find_if(std::begin(toward_words), std::end(toward_words),
                                        [&](const auto& w) { return cells[2] == w.text; });
        if (word == std::end(toward_words)) return wrong(fmt::format("\"{}\" is no way to the next key", cells[2]));
        key.toward = word->value;
    }
    for (std::size_t i = 3; i < cells.size(); ++i) {
        const auto slope = cells[i].empty() ? std::optional(0.0) : parse_number(cells[i]);
        if (!slope) return wrong(fmt::format("\"{}\" is no slope", cells[i]));
        (i == 3 ? key.leave : key.arrive) = *slope;
    }
    return key;
}

} // namespace

std::string keys_as_text(const std::vector<Key>& keys, KeyValue value) {
    std::string out = fmt::format("output_frame\t{}\ttoward\tleave\tarrive\n", word_of(value_words, value));
    for (const Key& k : keys)
        out += fmt::format("{}\t{}\t{}\t{}\t{}\n", exact_number(k.at.value), exact_number(k.source.value),
                           word_of(toward_words, k.toward), exact_number(k.leave), exact_number(k.arrive));
    return out;
}

Result<CopiedKeys> keys_from_text(std::string_view text) {
    CopiedKeys out;
    std::vector<std::string_view> cells;
    for (std::int64_t line = 1; !text.empty(); ++line) {
        const std::string_view row = take_line(text);
        if (row.empty()) continue;
        split_cells(row, separator_of(row), cells);
        if (out.keys.empty() && !out.value && cells.size() > 1 && cells[0] == "output_frame") {
            for (const auto& w : value_words) {
                if (cells[1] == w.text) out.value = w.value;
            }
            continue;
        }
        GARLAND_TRY(key, key_of(cells, line));
        if (!out.keys.empty() && !(key.at > out.keys.back().at))
            return fail(Error{ErrorCode::malformed, "output frames do not rise"}.at_line(line).advise("sort the rows"));
        if (out.keys.size() >= most_rows)
            return fail(Error{ErrorCode::too_large, fmt::format("there are more than {} rows", most_rows)}.advise(
                "copy fewer rows"));
        out.keys.push_back(key);
    }
    if (out.keys.empty())
        return fail(Error{ErrorCode::malformed, "there are no keys in what was copied"}.advise(
            "copy keys, or two columns of numbers"));
    const double first = out.keys.front().at.value;
    for (Key& k : out.keys) k.at = OutputFrame(k.at.value - first);
    return out;
}

std::string arrangement_as_text(const Arrangement& a) {
    return Json{{"garland_part", part_version}, {"arrangement", arrangement_json(a)}}.dump(2) + "\n";
}

std::string variation_as_text(const Arrangement& a) {
    return Json{{"garland_part", part_version}, {"variation", arrangement_json(a)}}.dump(2) + "\n";
}

std::string zones_as_text(const std::vector<Zone>& zones) {
    Json list = Json::array();
    for (const Zone& z : zones) list.push_back(write(z));
    return Json{{"garland_part", part_version}, {"zones", std::move(list)}}.dump(2) + "\n";
}

Result<CopiedPart> part_from_text(std::string_view text) {
    auto json = read_json(text, "what was copied");
    if (!json || !json->is_object() || !json->contains("garland_part"))
        return fail(Error{ErrorCode::malformed, "what was copied is no part of a project"}.advise(
            "copy an arrangement, its variation or zones first"));
    try {
        for (const char* field : {"arrangement", "variation"}) {
            if (json->contains(field)) take_earlier_names_of_arrangement((*json)[field]);
        }
        const JsonPart part(*json, "the copied part");
        if (part.whole("garland_part", 0, 0, 1'000'000) > part_version)
            return fail(Error{ErrorCode::newer_version, "what was copied comes from a later Garland"}.advise(
                "copy it from a Garland of this version"));
        CopiedPart out;
        for (const char* field : {"arrangement", "variation"}) {
            if (const Json* a = part.get(field)) {
                out.arrangement = read_arrangement(JsonPart(*a, fmt::format("the copied {}", field)));
                out.variation_only = std::string_view(field) == "variation";
            }
        }
        part.each("zones", "zone", [&](const JsonPart& z) { out.zones.push_back(read_zone(z)); });
        if (!out.arrangement && out.zones.empty())
            return fail(Error{ErrorCode::malformed, "the copied part holds nothing that this version knows"}.advise(
                "copy it again"));
        return out;
    } catch (const BadJson& bad) {
        return fail(Error{ErrorCode::malformed, bad.message}.advise("copy it again"));
    }
}

namespace {

// Spreads under new ids; what they look at must be there.
std::vector<Spread> spreads_for(Project& project, const std::vector<Spread>& copied, int& left_out) {
    std::vector<Spread> out;
    for (Spread s : copied) {
        auto& zones = s.by.level.zones;
        const std::size_t before = zones.size();
        std::erase_if(zones, [&](ZoneId id) { return !project.zone(id); });
        const bool no_zone = s.by.kind == Driver::zone && zones.empty() && before > 0;
        const bool no_sound =
            s.by.kind == Driver::sound && (!s.by.level.hearing.sound || !project.sound(s.by.level.hearing.sound));
        if (no_zone || no_sound) {
            ++left_out;
            continue;
        }
        s.id = SpreadId(project.next_id++);
        out.push_back(std::move(s));
    }
    return out;
}

} // namespace

Result<std::string> put_part(Project& project, const CopiedPart& part, ArrangementId target) {
    for (Zone z : part.zones) {
        z.id = ZoneId(project.next_id++);
        project.zones.push_back(std::move(z));
    }
    if (!part.arrangement) return std::string();
    Arrangement* to = project.arrangement(target);
    if (!to)
        return fail(Error{ErrorCode::not_found, "there is no arrangement to give it to"}.advise("select a copy first"));
    int left_out = 0;
    Arrangement next = part.variation_only ? *to : *part.arrangement;
    next.spreads = spreads_for(project, part.arrangement->spreads, left_out);
    next.pulses = part.arrangement->pulses;
    for (Pulse& p : next.pulses) p.id = SpreadId(project.next_id++);
    to = project.arrangement(target);
    if (!part.variation_only) {
        next.id = to->id, next.name = to->name, next.source = to->source, next.timing = to->timing;
        next.choice.variants = to->choice.variants, next.layout.carried.source = to->layout.carried.source,
        next.layout.carried.timing = to->layout.carried.timing;
        next.single_out = to->single_out, next.by_hand.nudges = to->by_hand.nudges, next.play = to->play,
        next.extra = to->extra;
        next.hidden_copies = to->hidden_copies;
        if (is_carried(next.layout.kind) && !next.layout.carried.source)
            return fail(Error{ErrorCode::invalid, "the copied arrangement stands on another source"}.advise(
                "choose what carries the copies here first, or copy its variation alone"));
    }
    *to = std::move(next);
    return left_out == 0 ? std::string()
                         : fmt::format("{} left out: their zones or sounds are not in this project",
                                       counted(left_out, "spread was", "spreads were"));
}

} // namespace garland
