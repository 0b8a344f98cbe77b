#include "render/render.h"

#include "core/base/angles.h"
#include "core/base/parallel.h"
#include "core/base/portable_math.h"
#include "core/copies/twins.h"
#include "core/project/varying.h"
#include "render/smoke_light.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <limits>
#include <numbers>
#include <utility>
#include <vector>

namespace garland {

namespace {

constexpr double pi = std::numbers::pi;
constexpr int dimensions = 7;

// x^8 = x + 1, whose inverse powers are the steps of the recurrence; roots by square roots, which are the same
// everywhere.
std::array<double, dimensions> recurrence() {
    double x = 1;
    for (int i = 0; i < 200; ++i) x = std::sqrt(std::sqrt(std::sqrt(1 + x)));
    std::array<double, dimensions> out{};
    double step = 1;
    for (double& s : out) s = step /= x;
    return out;
}

std::uint32_t mixed(std::uint32_t v) { // the finisher of MurmurHash3 (A. Appleby, public domain)
    v ^= v >> 16, v *= 0x85ebca6bu;
    v ^= v >> 13, v *= 0xc2b2ae35u;
    return v ^ (v >> 16);
}

// The samples of one pixel.
class Samples {
  public:
    Samples(int x, int y, std::uint32_t frame, const std::array<double, dimensions>& steps) : steps_(steps) {
        std::uint32_t h =
            mixed(static_cast<std::uint32_t>(x) * 0x9e3779b9u ^ mixed(static_cast<std::uint32_t>(y) ^ mixed(frame)));
        for (double& m : move_) {
            h = mixed(h + 0x9e3779b9u);
            m = h * (1.0 / 4294967296.0);
        }
    }
    // A direction in the plane, by one dimension.
    std::pair<double, double> turn(int sample, std::size_t dimension) const {
        return turns()[static_cast<std::size_t>(at(sample, dimension) * 4096) & 4095];
    }
    double at(int sample, std::size_t dimension) const {
        const double v = move_[dimension] + (sample + 1) * steps_[dimension];
        return v - std::floor(v);
    }

  private:
    static const std::vector<std::pair<double, double>>& turns() { // cosine and sine, made once
        static const auto table = [] {
            std::vector<std::pair<double, double>> out(4096);
            for (std::size_t i = 0; i < out.size(); ++i) {
                const double angle = 2 * pi * (static_cast<double>(i) + 0.5) / static_cast<double>(out.size());
                out[i] = {portable::cos(angle), portable::sin(angle)};
            }
            return out;
        }();
        return table;
    }
    const std::array<double, dimensions>& steps_;
    std::array<double, dimensions> move_{};
};

void across(const V3d& n, V3d& x, V3d& y) { // T. Duff et al., "Building an orthonormal basis, revisited", 2017
    const double sign = std::copysign(1.0, n.z), a = -1 / (sign + n.z), b = n.x * n.y * a;
    x = V3d(1 + sign * n.x * n.x * a, sign * b, -sign * n.x);
    y = V3d(b, sign + n.y * n.y * a, -n.y);
}

double luminance(const V3d& c) {
    return 0.2126 * c.x + 0.7152 * c.y + 0.0722 * c.z;
}

struct Tracer {
    const TraceScene& scene;
    const PreviewLook& look;
    V3d key_way, key_x, key_y;
    double key_radius; // tangent of half its width
    double near;       // rays start this far away
    double fade;       // distance over which the ground fades into the sky
    SmokeLight smoke{};

    Tracer(const TraceScene& s, const PreviewLook& l, double camera_distance) : scene(s), look(l) {
        const double a = l.light.key_azimuth * radians, e = l.light.key_elevation * radians;
        key_way = V3d(portable::sin(a) * portable::cos(e), portable::sin(e), portable::cos(a) * portable::cos(e));
        across(key_way, key_x, key_y);
        const double half = l.light.key_width / 2 * radians;
        key_radius = portable::sin(half) / portable::cos(half);
        near = 1e-5 * std::max(scene.size(), 1.0);
        fade = 4 * std::max(scene.size(), camera_distance);
    }

    bool ground() const { return look.ground != PreviewGround::none && !scene.has_water(); }

    V3d sky(const V3d& way) const {
        if (way.y <= 0) return V3d(look.light.horizon);
        return V3d(look.light.horizon) + (V3d(look.light.zenith) - V3d(look.light.horizon)) * std::sqrt(way.y);
    }
    // What shines from a direction that meets no copy.
    V3d around(const V3d& way) const {
        if (way.y >= 0) return sky(way);
        if (!ground()) return V3d(look.light.below);
        const V3d lit = V3d(look.light.key) * std::max(key_way.y, 0.0) + V3d(look.light.horizon) * 0.8;
        return V3d(look.floor) * lit * 0.75; // some of it lies in shadow
    }

    // Light that is let through along a way.
    double through(const V3d& from, const V3d& way) const {
        return scene.clouds().empty() ? 1.0 : light_through(scene, from, way, look.thickness);
    }

    struct Light {
        V3d lit{0, 0, 0}, full{0, 0, 0}; // with and without what is in the way; of a white matt face
    };
    Light light(const V3d& place, const V3d& normal, const V3d& face, const V3f& albedo, double time,
                const Samples& samples, int s, double away) const {
        Light out;
        const V3d from = place + face * (near + 2e-6 * away);
        const double r = key_radius * std::sqrt(samples.at(s, 3));
        const auto [key_cos, key_sin] = samples.turn(s, 4);
        const V3d way = (key_way + key_x * (r * key_cos) + key_y * (r * key_sin)).normalized();
        const double facing = normal.dot(way);
        if (facing > 0) {
            out.full += V3d(look.light.key) * facing;
            if (face.dot(way) > 0 && !scene.blocked(from, way, 0, time))
                out.lit += V3d(look.light.key) * (facing * through(from, way));
        }
        V3d x, y;
        across(normal, x, y);
        const double root = std::sqrt(samples.at(s, 5));
        const auto [sky_cos, sky_sin] = samples.turn(s, 6);
        const V3d up = x * (root * sky_cos) + y * (root * sky_sin) + normal * std::sqrt(std::max(0.0, 1 - root * root));
        const V3d open = around(up);
        out.full += open;
        if (face.dot(up) <= 0 || scene.blocked(from, up, 0, time)) {
            out.lit += open * V3d(albedo) * 0.35; // about what neighbours of the same colour give back
        } else {
            out.lit += open * through(from, up);
        }
        return out;
    }

    struct Seen {
        V3d colour{0, 0, 0}; // premultiplied
        double alpha = 0;
    };

    // Where a ray meets the ground; infinity where it doesn't.
    double to_ground(const V3d& from, const V3d& way) const {
        if (!ground() || from.y <= 0 || way.y >= 0) return std::numeric_limits<double>::infinity();
        return from.y / -way.y;
    }

    Seen surface(const V3d& from, const V3d& way, double time, const Samples& samples, int s, double& distance) const {
        TraceScene::Hit hit;
        const bool met = scene.hit(from, way, 0, time, hit);
        const double floor = to_ground(from, way);
        if (met && hit.distance < floor) {
            distance = hit.distance;
            const Light l = light(hit.place, hit.normal, hit.face, hit.albedo, time, samples, s, hit.distance);
            return {l.lit * V3d(hit.albedo), 1};
        }
        distance = floor;
        if (std::isfinite(floor)) {
            const V3d up(0, 1, 0);
            const Light l = light(from + way * floor, up, up, look.floor, time, samples, s, floor);
            if (look.ground == PreviewGround::shadow) {
                const double dark = 1 - luminance(l.lit) / std::max(luminance(l.full), 1e-9);
                return look.transparent ? Seen{V3d(0), std::clamp(dark, 0.0, 1.0)}
                                        : Seen{sky(way) * (1 - std::clamp(dark, 0.0, 1.0)), 1};
            }
            const double far = floor / fade, gone = far * far / (1 + far * far);
            if (look.transparent) return {l.lit * V3d(look.floor) * (1 - gone), 1 - gone};
            return {l.lit * V3d(look.floor) * (1 - gone) + V3d(look.light.horizon) * gone, 1};
        }
        if (look.transparent) return {};
        return {sky(way), 1};
    }

    // Absorption by Beer's law (A. Beer 1852), one scattering of the key light and the sky, marched with a step of one
    // voxel, the same way for any order of clouds.
    void clouds(const V3d& from, const V3d& way, double end, double jitter, Seen& seen,
                const std::vector<std::uint32_t>& near_here) const {
        struct Part {
            std::uint32_t cloud;
            double low, high;
            V3d first, on; // its cells at `from`, and along the way
        };
        thread_local std::vector<Part> parts;
        parts.clear();
        double first = 1e30, last = 0, step = 1e30;
        for (std::uint32_t i : near_here) {
            const TraceScene::Cloud& c = scene.clouds()[i];
            double low = 0, high = end;
            if (!c.crossed(from, way, low, high)) continue;
            parts.push_back({i, low, high, c.cell(from), c.cells_along(way)});
            first = std::min(first, low), last = std::max(last, high);
            step = std::min(step, c.step);
        }
        if (parts.empty()) return;
        step = std::max(step, (last - first) / 1000);
        double clear = 1;
        V3d glow(0);
        for (double at = first; at < last && clear > 1e-3;) {
            const double wide = std::min(step, last - at), here = at + jitter * wide;
            double density = 0, most = 0, next = last;
            const Part* thickest = nullptr;
            bool inside = false;
            for (const Part& p : parts) {
                if (here < p.low) next = std::min(next, p.low);
                if (here < p.low || here > p.high) continue;
                inside = true;
                const double d = scene.clouds()[p.cloud].density(p.first + p.on * here);
                density += d;
                if (d > most) most = d, thickest = &p;
            }
            at = inside ? at + step : next; // on to the next cloud
            if (!(density > 0)) continue;
            const double stays = portable::exp(-density * look.thickness * wide);
            const V3f tint = look.colour == PreviewColour::look
                                 ? V3f(0.86f, 0.86f, 0.88f)
                                 : scene.copies()[scene.clouds()[thickest->cloud].copy].tint;
            const double sun = smoke.key(thickest->cloud, thickest->first + thickest->on * here);
            const V3d lit = V3d(look.light.key) * (0.35 * sun) + V3d(look.light.zenith + look.light.horizon) * 0.25;
            glow += lit * V3d(tint) * (clear * (1 - stays));
            clear *= stays;
        }
        seen.colour = glow + seen.colour * clear;
        seen.alpha = 1 - (1 - seen.alpha) * clear;
    }
};

// The clouds whose boxes a block of pixels may see.
std::vector<std::uint32_t> clouds_in(const TraceScene& scene, const Eye& eye, double x0, double y0, double x1,
                                     double y1) {
    std::vector<std::uint32_t> out;
    for (std::uint32_t i = 0; i < scene.clouds().size(); ++i) {
        const TraceScene::Cloud& c = scene.clouds()[i];
        double low_x = 1e30, low_y = 1e30, high_x = -1e30, high_y = -1e30;
        bool behind = false;
        for (int k = 0; k < 8; ++k) {
            const Eye::Spot s =
                eye.spot({k & 1 ? c.high.x : c.low.x, k & 2 ? c.high.y : c.low.y, k & 4 ? c.high.z : c.low.z});
            if (s.depth <= 1e-9) behind = true;
            low_x = std::min(low_x, s.x), high_x = std::max(high_x, s.x);
            low_y = std::min(low_y, s.y), high_y = std::max(high_y, s.y);
        }
        if (behind || (low_x <= x1 && high_x >= x0 && low_y <= y1 && high_y >= y0)) out.push_back(i);
    }
    return out;
}

void start_passes(Picture& p) {
    p.depth.assign(p.pixels(), std::numeric_limits<float>::infinity());
    p.motion.assign(p.pixels() * 2, 0);
    p.normal.assign(p.pixels() * 3, 0);
    p.copy.assign(p.pixels(), 0);
    p.source.assign(p.pixels(), 0);
    p.source_frame.assign(p.pixels(), std::numeric_limits<float>::quiet_NaN());
}

void add_passes(const Tracer& tracer, const Eye& eye, const Eye& later, int x, int y, Picture& out) {
    const V3d way = eye.ray(x + 0.5, y + 0.5);
    TraceScene::Hit hit;
    const bool met = tracer.scene.hit(eye.place(), way, 0, 0.5, hit);
    const double floor = tracer.look.ground == PreviewGround::shown ? tracer.to_ground(eye.place(), way)
                                                                    : std::numeric_limits<double>::infinity();
    const std::size_t i =
        static_cast<std::size_t>(y) * static_cast<std::size_t>(out.width) + static_cast<std::size_t>(x);
    V3d place, then, normal(0, 1, 0);
    bool known = true;
    if (met && hit.distance < floor) {
        const TraceScene::Copy& copy = tracer.scene.copies()[hit.copy];
        place = hit.place, normal = hit.normal;
        known = tracer.scene.later(hit, then);
        out.copy[i] = static_cast<std::uint32_t>(copy.number + 1);
        out.source[i] = copy.source;
        out.source_frame[i] = static_cast<float>(copy.source_frame);
    } else if (std::isfinite(floor)) {
        place = then = eye.place() + way * floor;
    } else {
        return;
    }
    const Eye::Spot now = eye.spot(place);
    out.depth[i] = static_cast<float>(now.depth);
    for (int k = 0; k < 3; ++k) out.normal[i * 3 + static_cast<std::size_t>(k)] = static_cast<float>(normal[k]);
    if (!known) return;
    const Eye::Spot next = later.spot(then);
    if (next.depth <= 0) return;
    out.motion[i * 2] = static_cast<float>(next.x - now.x);
    out.motion[i * 2 + 1] = static_cast<float>(next.y - now.y);
}

} // namespace

Result<Picture> render_scene(const TraceScene& scene, const Camera& camera, const Camera& later, OutputFrame t,
                             const PreviewLook& look, Progress& progress) {
    GARLAND_CHECK(validate(look));
    Picture out;
    out.width = look.width, out.height = look.height;
    out.rgba.assign(out.pixels() * 4, 0);
    if (look.passes) start_passes(out);
    const Eye eye(camera, look.width, look.height), next(later, look.width, look.height);
    Tracer tracer(scene, look, camera.distance);
    const double lit = scene.clouds().empty() ? 0 : 0.1;
    PartOf lighting(progress, 0, lit), tracing(progress, lit, 1);
    if (lit > 0) tracer.smoke = SmokeLight(scene, tracer.key_way, look.thickness, tracer.near, lighting);
    const auto steps = recurrence();
    const auto seed = static_cast<std::uint32_t>(static_cast<std::int64_t>(std::floor(t.value * 1000)));
    constexpr int side = 16;
    const int wide = (look.width + side - 1) / side, high = (look.height + side - 1) / side;
    std::atomic<std::size_t> done{0};
    const auto blocks = static_cast<std::size_t>(wide) * static_cast<std::size_t>(high);
    parallel_for(blocks, 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t block = from; block < to && !progress.cancelled(); ++block) {
            const int x0 = static_cast<int>(block % static_cast<std::size_t>(wide)) * side,
                      y0 = static_cast<int>(block / static_cast<std::size_t>(wide)) * side;
            const int x1 = std::min(x0 + side, look.width), y1 = std::min(y0 + side, look.height);
            const auto near_here = clouds_in(scene, eye, x0, y0, x1, y1);
            for (int y = y0; y < y1; ++y) {
                for (int x = x0; x < x1; ++x) {
                    const Samples samples(x, y, seed, steps);
                    double sum[4] = {0, 0, 0, 0};
                    for (int s = 0; s < look.samples; ++s) {
                        const double time = look.shutter > 0 ? samples.at(s, 2) : 0.5;
                        const V3d way = eye.ray(x + samples.at(s, 0), y + samples.at(s, 1));
                        double distance = std::numeric_limits<double>::infinity();
                        Tracer::Seen seen = tracer.surface(eye.place(), way, time, samples, s, distance);
                        if (!near_here.empty())
                            tracer.clouds(eye.place(), way, distance, samples.at(s, 5), seen, near_here);
                        for (int k = 0; k < 3; ++k) sum[k] += seen.colour[k];
                        sum[3] += seen.alpha;
                    }
                    float* to_pixel = &out.rgba[(static_cast<std::size_t>(y) * static_cast<std::size_t>(look.width) +
                                                 static_cast<std::size_t>(x)) *
                                                4];
                    for (int k = 0; k < 4; ++k) to_pixel[k] = static_cast<float>(sum[k] / look.samples);
                    if (look.passes) add_passes(tracer, eye, next, x, y, out);
                }
            }
            tracing.report(static_cast<double>(++done) / static_cast<double>(blocks), "tracing");
        }
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    return out;
}

Result<void> mark_twins(const Show& show, PreviewLook& look, Progress& progress) {
    if (look.colour != PreviewColour::twins || !look.marked.empty()) return {};
    for (const ArrangementShow& a : show.arrangements) {
        GARLAND_TRY(has, have_twins(a.plan, a.clock, a.clocks, show.settings.range, twin_rule(show, a), progress));
        for (std::size_t i = 0; i < has.size(); ++i) {
            if (has[i]) look.marked.push_back(a.number(i));
        }
    }
    std::sort(look.marked.begin(), look.marked.end());
    return {};
}

const GivenValues* shown_spread(const Show& show, const Project& project, const PreviewLook& look, ArrangementId* of) {
    for (const Arrangement& a : project.arrangements) {
        for (const Spread& s : a.spreads) {
            if (look.spread && s.id != look.spread) continue;
            if (of) *of = a.id;
            return given_by(show, a.id, s.id);
        }
    }
    return nullptr;
}

Result<Picture> render_frame(const Show& show, const Project& project, OutputFrame t, const PreviewLook& look,
                             Progress& progress, const std::optional<Camera>& camera) {
    PartOf preparing(progress, 0, 0.3), tracing(progress, 0.3, 1);
    GARLAND_TRY(scene, TraceScene::make(show, project, t, look, preparing));
    return render_scene(*scene, camera.value_or(show.camera.at(t)), camera.value_or(show.camera.at(t + 1)), t, look,
                        tracing);
}

} // namespace garland
