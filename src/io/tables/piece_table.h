// Transforms of pieces as CSV: frame,piece,tx,ty,tz,qx,qy,qz,qw in any order of columns and rows; the quaternion turns
// the rest mesh about its origin before it is moved.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pieces.h"

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

struct PieceTable {
    std::size_t pieces = 0;
    std::map<std::int64_t, std::vector<PieceTransform>> frames; // each with all pieces
};

inline constexpr std::size_t piece_rows_limit = 50'000'000;

// Errors: malformed, with the line: a column that is not there, not a number, a piece that comes twice in a frame, a
// quaternion of no length; with the frame: a piece that is not there; too_large.
Result<PieceTable> parse_piece_table(std::string_view text, const std::string& path);
Result<PieceTable> read_piece_table(const std::string& path);

} // namespace garland
