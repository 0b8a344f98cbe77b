#include "core/project/clock_pieces.h"

#include "core/time/frame_steps.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr double straight = 1e-9;           // source frames: a difference that rounding explains
constexpr double narrowest = 1e-9;          // output frames: where it is still not straight there, the clock jumps
constexpr double around_a_cubic = 4.0 / 27; // how far a cubic leaves its chord, by the slope it starts with

struct Sample {
    double t = 0, s = 0, slope = 0;
    bool shown = true;
};

struct Piece {
    Sample a, b;
    enum Kind { line, curve, jump, nothing } kind = line;
    double off = 0; // of its middle, source frames
};

class Pieces {
  public:
    Pieces(const ArrangementShow& a, std::size_t copy, double tolerance) : a_(a), copy_(copy), tolerance_(tolerance) {}

    // Halves what is not straight until all is, level by level.
    std::vector<Piece> cut(double from, double to) {
        std::vector<double> times;
        for (double t = from; t < to; t = std::floor(t) + 1) times.push_back(t);
        times.push_back(to);
        const auto whole = at(times);
        std::vector<Piece> open, done;
        for (std::size_t i = 0; i + 1 < whole.size(); ++i) open.push_back({whole[i], whole[i + 1]});
        while (!open.empty()) {
            std::vector<double> middles;
            for (const Piece& p : open) middles.push_back((p.a.t + p.b.t) / 2);
            const auto middle = at(middles);
            std::vector<Piece> next;
            for (std::size_t i = 0; i < open.size(); ++i) {
                if (settled(open[i], middle[i])) {
                    done.push_back(open[i]);
                } else {
                    next.push_back({open[i].a, middle[i]});
                    next.push_back({middle[i], open[i].b});
                }
            }
            open = std::move(next);
        }
        std::sort(done.begin(), done.end(), [](const Piece& x, const Piece& y) { return x.a.t < y.a.t; });
        return done;
    }

  private:
    std::vector<Sample> at(const std::vector<double>& times) {
        moments_.resize(times.size());
        row_of(a_, copy_, times, moments_);
        std::vector<Sample> out(times.size());
        for (std::size_t i = 0; i < times.size(); ++i) {
            const CopyMoment& m = moments_[i];
            out[i] = {times[i], m.source, m.speed, !m.has(mark_absent)};
        }
        return out;
    }

    bool settled(Piece& p, const Sample& m) const {
        const double h = p.b.t - p.a.t, scale = std::max({1.0, std::abs(p.a.s), std::abs(p.b.s)});
        const bool same = p.a.shown == p.b.shown && p.a.shown == m.shown;
        if (same && !p.a.shown) {
            p.kind = Piece::nothing;
            return true;
        }
        const bool narrow = h <= narrowest * std::max(1.0, std::abs(p.a.t));
        if (!same) {
            p.kind = Piece::nothing;
            return narrow;
        }
        const double chord = (p.b.s - p.a.s) / h;
        p.off = std::abs(m.s - (p.a.s + p.b.s) / 2);
        // Speeds are floats.
        const double leaving = std::abs(p.a.slope - chord), halfway = std::abs(m.slope - chord);
        const double bow = h * (leaving + 2 * halfway) * around_a_cubic;
        if (p.off <= straight * scale && bow <= 1e-6 * h * std::max(1.0, std::abs(chord)) + straight * scale) {
            p.kind = Piece::line;
            return true;
        }
        p.kind = narrow ? Piece::jump : Piece::curve;
        return narrow || std::max(p.off, bow) <= tolerance_ / 4;
    }

    const ArrangementShow& a_;
    std::size_t copy_;
    double tolerance_;
    std::vector<CopyMoment> moments_;
};

bool same_line(const Piece& a, const Piece& b) {
    const double slope = (a.b.s - a.a.s) / (a.b.t - a.a.t);
    return std::abs(b.b.s - (a.a.s + slope * (b.b.t - a.a.t))) <=
           8 * straight * std::max({1.0, std::abs(a.a.s), std::abs(b.b.s)});
}

// Lines that go on in one another become one.
std::vector<Piece> joined(const std::vector<Piece>& cut) {
    std::vector<Piece> out;
    for (const Piece& p : cut) {
        const bool after = !out.empty() && out.back().b.t == p.a.t;
        if (after && p.kind == Piece::line && out.back().kind == Piece::line && same_line(out.back(), p)) {
            out.back().b = p.b;
        } else if (after && p.kind == Piece::nothing && out.back().kind == Piece::nothing) {
            out.back().b = p.b;
        } else {
            out.push_back(p);
        }
    }
    return out;
}

// A short curve between two lines that meet in it is their corner.
void corners(std::vector<Piece>& pieces) {
    for (std::size_t i = 1; i + 1 < pieces.size(); ++i) {
        Piece &l = pieces[i - 1], &c = pieces[i], &r = pieces[i + 1];
        if (c.kind != Piece::curve || l.kind != Piece::line || r.kind != Piece::line) continue;
        const double ls = (l.b.s - l.a.s) / (l.b.t - l.a.t), rs = (r.b.s - r.a.s) / (r.b.t - r.a.t);
        if (std::abs(ls - rs) < 1e-9) continue;
        const double t = (r.a.s - l.b.s + ls * l.b.t - rs * r.a.t) / (ls - rs);
        if (t < c.a.t - 1e-9 || t > c.b.t + 1e-9) continue;
        l.b.t = r.a.t = t;
        l.b.s = r.a.s = l.a.s + ls * (t - l.a.t);
        c.kind = Piece::line, c.a = l.b, c.b = r.a, c.off = 0;
    }
}

// Points of curves are left out as long as all that are left out stay within the tolerance of the straight line.
void add_curve(const std::vector<Piece>& pieces, std::size_t from, std::size_t to, double tolerance,
               std::vector<ClockPoint>& out) {
    std::size_t at = from;
    while (at < to) {
        std::size_t end = at + 1;
        double low = -1e300, high = 1e300; // slopes that keep what was passed within half the tolerance
        for (std::size_t k = at; k < to; ++k) {
            const double h = pieces[k].b.t - pieces[at].a.t, rise = pieces[k].b.s - pieces[at].a.s;
            if (rise / h < low || rise / h > high) break;
            end = k + 1;
            low = std::max(low, (rise - tolerance / 2) / h), high = std::min(high, (rise + tolerance / 2) / h);
        }
        out.push_back({pieces[end - 1].b.t, pieces[end - 1].b.s});
        at = end;
    }
}

} // namespace

ClockPieces clock_pieces(const ArrangementShow& arrangement, std::size_t copy, double from, double to,
                         double tolerance) {
    ClockPieces out;
    to = std::max(to, from + 1);
    Pieces maker(arrangement, copy, tolerance);
    std::vector<Piece> pieces = joined(maker.cut(from, to));
    corners(pieces);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        const Piece& p = pieces[i];
        const bool shown = p.kind != Piece::nothing;
        if (out.shown.empty() || out.shown.back().shown != shown) out.shown.push_back({p.a.t, shown});
        if (!shown) continue;
        out.worst = std::max(out.worst, p.kind == Piece::curve ? p.off : 0.0);
        if (out.points.empty()) {
            out.points.push_back({p.a.t, p.a.s});
        } else if (i > 0 && pieces[i - 1].kind == Piece::nothing) { // held until it is shown again
            out.points.push_back({p.a.t, out.points.back().source});
            out.points.push_back({p.a.t, p.a.s});
        }
        if (p.kind == Piece::jump) {
            out.points.back().output = p.b.t; // from its left side
            out.points.push_back({p.b.t, p.b.s});
            ++out.jumps;
        } else if (p.kind == Piece::line) {
            if (p.b.t > out.points.back().output) out.points.push_back({p.b.t, p.b.s});
        } else {
            std::size_t end = i;
            while (end < pieces.size() && pieces[end].kind == Piece::curve) ++end;
            for (std::size_t k = i; k < end; ++k) out.worst = std::max(out.worst, pieces[k].off);
            add_curve(pieces, i, end, tolerance, out.points);
            i = end - 1;
        }
    }
    return out;
}

Result<void> valid_tables(FrameRange frames, double tolerance, int per_frame) {
    GARLAND_CHECK(validate(FrameSteps{frames}));
    if (!(tolerance > 0) || tolerance > 1)
        return fail(Error{ErrorCode::invalid, fmt::format("a tolerance of {} source frames", tolerance)}.advise(
            "choose more than 0 and at most 1"));
    if (per_frame < 1 || per_frame > 1000)
        return fail(Error{ErrorCode::invalid, fmt::format("{} poses per frame", per_frame)}.advise("choose 1 to 1000"));
    return {};
}

} // namespace garland
