// What is copied as text: keys of a time map as a table that spreadsheets take and give, and parts of a project as
// JSON.
#pragma once

#include "core/project/project.h"
#include "core/time/time_map.h"

#include <optional>
#include <string>
#include <string_view>

namespace garland {

enum class KeyValue { source_frame, speed, per_cent }; // what keys hold beside their output frame

struct CopiedKeys {
    std::optional<KeyValue> value; // nothing: the text does not say
    std::vector<Key> keys;         // at least one, strictly rising; the first one at output frame 0
};

// A header and a row a key, tabs between cells: output_frame, the value, toward, and for free keys leave and arrive.
std::string keys_as_text(const std::vector<Key>& keys, KeyValue value);
// The same, or cells of a spreadsheet without a header: two numbers a row, then optionally the other three. Tabs,
// semicolons or commas between cells. Errors: malformed, with the line; too_large above a million rows.
Result<CopiedKeys> keys_from_text(std::string_view text);

// Of an arrangement: everything (its rules with its variation), or what varies it alone: spreads and pulses.
std::string arrangement_as_text(const Arrangement& arrangement);
std::string variation_as_text(const Arrangement& arrangement);
std::string zones_as_text(const std::vector<Zone>& zones);

struct CopiedPart {
    std::optional<Arrangement> arrangement; // its ids are those of the project it was copied from
    bool variation_only = false;
    std::vector<Zone> zones;
};
// Errors: malformed, where it is no such text; newer_version.
Result<CopiedPart> part_from_text(std::string_view text);

// Puts a part into a project: zones are added under new ids; an arrangement's rules, or its variation alone, are given
// to `target`, which keeps its id, name, source, timing, variants, carrier and nudges. Spreads by zones, sounds or
// attributes keep what the project has by that id and name, and lose the rest. Errors: not_found without such a target.
// Returns what could not be taken along, in words; "" where everything was.
Result<std::string> put_part(Project& project, const CopiedPart& part, ArrangementId target);

} // namespace garland
