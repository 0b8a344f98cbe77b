#include "render/contact.h"

#include "core/base/angles.h"
#include "core/base/numbers.h"
#include "core/base/portable_math.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>

namespace garland {

namespace {

// One copy of a show as a show of its own.
Result<std::shared_ptr<const Show>> only(const Show& show, std::int64_t number) {
    std::size_t index = 0;
    const ArrangementShow* a = show.find(number, index);
    if (!a)
        return fail(Error{ErrorCode::invalid, fmt::format("there is no copy {}", number + 1)}.advise(
            fmt::format("use 1 to {}", show.copies())));
    auto out = std::make_shared<Show>();
    out->settings = show.settings;
    out->samplers = show.samplers;
    out->levels = show.levels;
    out->camera = show.camera;
    out->copy_count = show.copy_count;
    ArrangementShow one = *a;
    const std::uint32_t which[] = {static_cast<std::uint32_t>(index)};
    one.clocks = a->clocks.part(which);
    one.standing = a->standing.part(which);
    one.places = one.standing.still();
    one.shown.numbers = std::vector<std::int64_t>{number};
    one.shown.first = number;
    one.shown.in_set = std::vector<std::uint32_t>{static_cast<std::uint32_t>(a->in_set_at(index))};
    out->arrangements.push_back(std::move(one));
    return std::shared_ptr<const Show>(out);
}

// Figures of five by seven dots, a row a byte; our own drawing.
struct Glyph {
    char letter;
    std::uint8_t rows[7];
};
constexpr Glyph glyphs[] = {
    {'0', {14, 17, 19, 21, 25, 17, 14}}, {'1', {4, 12, 4, 4, 4, 4, 14}},    {'2', {14, 17, 1, 6, 8, 16, 31}},
    {'3', {30, 1, 1, 14, 1, 1, 30}},     {'4', {2, 6, 10, 18, 31, 2, 2}},   {'5', {31, 16, 30, 1, 1, 17, 14}},
    {'6', {6, 8, 16, 30, 17, 17, 14}},   {'7', {31, 1, 2, 4, 8, 8, 8}},     {'8', {14, 17, 17, 14, 17, 17, 14}},
    {'9', {14, 17, 17, 15, 1, 2, 12}},   {'c', {0, 0, 14, 16, 16, 17, 14}}, {'-', {0, 0, 0, 14, 0, 0, 0}}};

void write_text(Picture& p, int x, int y, int scale, const std::string& text) {
    for (const char letter : text) {
        const auto* g =
            std::find_if(std::begin(glyphs), std::end(glyphs), [&](const Glyph& g) { return g.letter == letter; });
        for (int row = 0; row < 7 * scale && g != std::end(glyphs); ++row) {
            for (int column = 0; column < 5 * scale; ++column) {
                if (!(g->rows[row / scale] >> (4 - column / scale) & 1)) continue;
                const int px = x + column, py = y + row;
                if (px < 0 || py < 0 || px >= p.width || py >= p.height) continue;
                float* to = &p.rgba[(static_cast<std::size_t>(py) * static_cast<std::size_t>(p.width) +
                                     static_cast<std::size_t>(px)) *
                                    4];
                to[0] = to[1] = to[2] = 0.02f, to[3] = 1;
            }
        }
        x += 6 * scale;
    }
}

// The box of a copy at a frame, in the scene; empty where it is absent.
Result<Imath::Box3d> box_of(const Show& one, std::int64_t frame, Progress& progress) {
    Imath::Box3d box;
    GARLAND_TRY(posed, pose_all(one, OutputFrame(static_cast<double>(frame)), progress));
    for (const Posed& part : posed) {
        if (part.picks.copies.empty() || part.picks.copies[0] == no_pose) continue;
        box.extendBy(garland::box_of(part.places()[0], bounds(*part.poses[part.picks.copies[0]].pose)));
    }
    return box;
}

// How the sheet is divided; pixels.
struct Sheet {
    int tile, scale, left, top, gap = 4;
    explicit Sheet(int t) : tile(t), scale(std::max(1, t / 80)), left(6 * scale * 7 + 8), top(7 * scale + 10) {}
    std::int64_t width(std::int64_t columns) const { return left + columns * (tile + gap); }
    std::int64_t height(std::int64_t rows) const { return top + rows * (tile + gap); }
    int x(std::size_t column) const { return left + static_cast<int>(column) * (tile + gap); }
    int y(std::size_t row) const { return top + static_cast<int>(row) * (tile + gap); }
};

Picture blank_paper(std::int64_t width, std::int64_t height) {
    Picture out;
    out.width = static_cast<int>(width), out.height = static_cast<int>(height);
    out.rgba.assign(out.pixels() * 4, 0);
    for (std::size_t i = 0; i < out.pixels(); ++i) {
        const float paper[] = {0.72f, 0.73f, 0.74f, 1};
        std::copy(std::begin(paper), std::end(paper), &out.rgba[i * 4]);
    }
    return out;
}

// Lays a picture with a transparent background on the paper.
void paste(const Picture& tile, int x0, int y0, Picture& sheet) {
    for (int y = 0; y < tile.height; ++y) {
        for (int x = 0; x < tile.width; ++x) {
            const float* from = &tile.rgba[static_cast<std::size_t>(y * tile.width + x) * 4];
            float* to = &sheet.rgba[(static_cast<std::size_t>(y0 + y) * static_cast<std::size_t>(sheet.width) +
                                     static_cast<std::size_t>(x0 + x)) *
                                    4];
            for (std::size_t k = 0; k < 3; ++k) to[k] = from[k] + 0.85f * (1 - from[3]);
        }
    }
}

// So that something so wide fills a picture; the direction of the project's own.
Camera camera_on(Camera camera, const V3d& target, double widest) {
    camera.field_of_view = 24;
    camera.target = target;
    const double half = camera.field_of_view / 2 * radians;
    camera.distance = std::max(widest, 1e-6) * 0.52 / (portable::sin(half) / portable::cos(half));
    return camera;
}

PreviewLook look_of(const ContactOrder& order) {
    PreviewLook look;
    look.width = look.height = order.tile;
    look.samples = order.samples;
    look.colour = order.colour;
    look.ground = PreviewGround::none;
    look.transparent = true;
    return look;
}

} // namespace

std::vector<std::int64_t> some_copies(const Show& show, std::size_t most) {
    std::vector<std::int64_t> out;
    const std::int64_t all = show.copies();
    const auto count = std::min<std::int64_t>(all, static_cast<std::int64_t>(most));
    for (std::int64_t i = 0; i < count; ++i) out.push_back(count > 1 ? i * (all - 1) / (count - 1) : 0);
    return out;
}

Result<Picture> contact_sheet(const Show& show, const Project& project, const ContactOrder& order, Progress& progress) {
    if (order.copies.empty() || order.frames.empty())
        return fail(
            Error{ErrorCode::invalid, "the sheet has no pictures"}.advise("name copies and frames that are there"));
    if (order.tile < 16 || order.tile > 1024)
        return fail(
            Error{ErrorCode::invalid, fmt::format("pictures of {} pixels cannot be put on a sheet", order.tile)}.advise(
                "use 16 to 1024"));
    const Sheet on(order.tile);
    const std::int64_t width = on.width(static_cast<std::int64_t>(order.frames.size())),
                       height = on.height(static_cast<std::int64_t>(order.copies.size()));
    if (width > 16384 || height > 16384)
        return fail(Error{ErrorCode::too_large, fmt::format("the sheet would be {} × {} pixels", width, height)}.advise(
            "use fewer copies, fewer frames or smaller pictures"));
    Picture sheet = blank_paper(width, height);
    const PreviewLook look = look_of(order);
    for (std::size_t c = 0; c < order.frames.size(); ++c)
        write_text(sheet, on.x(c), 4, on.scale, std::to_string(order.frames[c]));
    double done = 0;
    for (std::size_t r = 0; r < order.copies.size(); ++r) {
        GARLAND_TRY(one, only(show, order.copies[r]));
        write_text(sheet, 4, on.y(r) + order.tile / 2 - 4 * on.scale, on.scale,
                   copy_name(order.copies[r], show.copies()));
        std::vector<Imath::Box3d> boxes;
        double widest = 0; // of all its poses, so that it is drawn at one scale
        for (const std::int64_t f : order.frames) {
            GARLAND_TRY(box, box_of(*one, f, progress));
            if (!box.isEmpty()) widest = std::max(widest, (box.max - box.min).length());
            boxes.push_back(box);
        }
        for (std::size_t c = 0; c < order.frames.size(); ++c) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            progress.report(done / static_cast<double>(order.copies.size() * order.frames.size()),
                            fmt::format("copy {}, output frame {}", order.copies[r] + 1, order.frames[c]));
            done += 1;
            if (boxes[c].isEmpty()) continue;
            const OutputFrame t(static_cast<double>(order.frames[c]));
            GARLAND_TRY(tile, render_frame(*one, project, t, look, Progress::none(),
                                           camera_on(show.camera.at(t), boxes[c].center(), widest)));
            paste(tile, on.x(c), on.y(r), sheet);
        }
    }
    return sheet;
}

} // namespace garland
