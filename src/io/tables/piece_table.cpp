#include "io/tables/piece_table.h"

#include "core/base/numbers.h"
#include "io/files/csv.h"
#include "io/files/file.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr std::array<std::string_view, 9> columns{"frame", "piece", "tx", "ty", "tz", "qx", "qy", "qz", "qw"};
constexpr double piece_limit = 1'000'000;

class PieceTableReader {
  public:
    explicit PieceTableReader(const std::string& path) : path_(path) {}

    Result<PieceTable> read(std::string_view text) {
        std::vector<std::string_view> cells;
        for (bool header = false; !text.empty();) {
            const std::string_view row = take_line(text);
            ++line_;
            if (row.empty()) continue;
            split_cells(row, ',', cells);
            GARLAND_CHECK(header ? add(cells) : find_columns(cells));
            header = true;
        }
        if (table_.frames.empty()) return bad("there is no row");
        GARLAND_CHECK(none_missing());
        return std::move(table_);
    }

  private:
    tl::unexpected<Error> bad(std::string what) const {
        return fail(Error{ErrorCode::malformed, std::move(what)}.at(path_).at_line(line_));
    }
    Result<void> find_columns(const std::vector<std::string_view>& cells) {
        for (std::size_t k = 0; k < columns.size(); ++k) {
            const auto at = std::find(cells.begin(), cells.end(), columns[k]);
            if (at == cells.end()) return bad(fmt::format("the column \"{}\" is not there", columns[k]));
            place_[k] = static_cast<std::size_t>(at - cells.begin());
        }
        return {};
    }
    Result<void> add(const std::vector<std::string_view>& cells) {
        if (++rows_ > piece_rows_limit)
            return fail(Error{ErrorCode::too_large, "too many rows"}
                            .advise("split the table, or use fewer frames")
                            .at(path_)
                            .at_line(line_));
        std::array<double, 9> value{};
        for (std::size_t k = 0; k < columns.size(); ++k) {
            const auto number = place_[k] < cells.size() ? parse_number(cells[place_[k]]) : std::nullopt;
            if (!number) return bad(fmt::format("there is no number for \"{}\"", columns[k]));
            value[k] = *number;
        }
        if (value[0] != std::floor(value[0]) || std::abs(value[0]) > 1e9)
            return bad("the frame must be a whole number");
        if (value[1] != std::floor(value[1]) || value[1] < 0 || value[1] >= piece_limit)
            return bad("the piece must be a whole number from 0 on");
        const auto piece = static_cast<std::size_t>(value[1]);
        const auto frame = static_cast<std::int64_t>(value[0]);
        auto& transforms = table_.frames[frame];
        auto& there = seen_[frame];
        if (piece >= transforms.size()) {
            // A lying id does not take memory beyond its file: pieces of a frame are as many as there are rows, at
            // most.
            if (piece > rows_ + 1'000)
                return bad(fmt::format("piece {} comes after only {}", piece,
                                       counted(static_cast<long long>(rows_), "row", "rows")));
            transforms.resize(piece + 1);
            there.resize(piece + 1);
        }
        if (there[piece]) return bad(fmt::format("piece {} comes twice in frame {}", piece, frame));
        there[piece] = true;
        const Quatd q(value[8], value[5], value[6], value[7]);
        if (!(q.length() > 1e-12) || !std::isfinite(q.length())) return bad("a quaternion of no length turns nothing");
        transforms[piece] = {V3d(value[2], value[3], value[4]), q.normalized()};
        table_.pieces = std::max(table_.pieces, piece + 1);
        return {};
    }
    Result<void> none_missing() const {
        for (const auto& [frame, there] : seen_) {
            for (std::size_t piece = 0; piece < table_.pieces; ++piece) {
                if (piece < there.size() && there[piece]) continue;
                return fail(
                    Error{ErrorCode::malformed, fmt::format("piece {} is not there", piece)}.at(path_).at_frame(frame));
            }
        }
        return {};
    }

    const std::string& path_;
    std::int64_t line_ = 0;
    std::array<std::size_t, 9> place_{}; // of each column among the cells
    std::map<std::int64_t, std::vector<bool>> seen_;
    std::size_t rows_ = 0;
    PieceTable table_;
};

} // namespace

Result<PieceTable> parse_piece_table(std::string_view text, const std::string& path) {
    return PieceTableReader(path).read(text);
}

Result<PieceTable> read_piece_table(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes));
    return parse_piece_table({bytes.data(), bytes.size()}, path);
}

} // namespace garland
