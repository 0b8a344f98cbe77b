#include "io/usd/usd_scene.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

std::size_t usd_width(std::string_view type) {
    std::string_view base = type.substr(0, type.find('['));
    constexpr std::pair<std::string_view, std::size_t> whole[] = {
        {"bool", 1},  {"uchar", 1},    {"int", 1},      {"uint", 1},      {"int64", 1},   {"uint64", 1},
        {"half", 1},  {"float", 1},    {"double", 1},   {"timecode", 1},  {"quath", 4},   {"quatf", 4},
        {"quatd", 4}, {"matrix2d", 4}, {"matrix3d", 9}, {"matrix4d", 16}, {"frame4d", 16}};
    for (const auto& [name, width] : whole) {
        if (base == name) return width;
    }
    // "int2", "float3", "texCoord2f", "point3h": the last digit says how many.
    if (base.size() > 1 && (base.back() == 'f' || base.back() == 'd' || base.back() == 'h')) base.remove_suffix(1);
    const char digit = base.empty() ? '0' : base.back();
    return digit >= '2' && digit <= '4' ? static_cast<std::size_t>(digit - '0') : 0;
}

template <class T>
T UsdScene::need(Result<T> value, const UsdAttribute& a) const {
    if (value) return std::move(*value);
    Error error = value.error();
    error.message = fmt::format("{}: {}", a.name, error.message);
    throw UsdBad{std::move(error)};
}

void UsdScene::bad(const UsdPrim& p, std::string what, ErrorCode code) const {
    throw UsdBad{Error{code, fmt::format("\"{}\" {}", p.name, what)}.at(stage->path)};
}

// From one clip over to the next.
static std::optional<UsdClips::Over> over(const UsdAttribute& a, double time) {
    return a.clips && a.interpolates() ? a.clips->over(time) : std::nullopt;
}

std::vector<float> UsdScene::floats(const UsdAttribute& a, double time, std::size_t width) const {
    if (const auto o = over(a, time)) {
        std::vector<float> out = floats(a, o->lower, width);
        const std::vector<float> next = floats(a, o->upper, width);
        if (next.size() == out.size())
            mix(out.data(), next.data(), static_cast<float>(o->weight), out.data(), out.size());
        return out;
    }
    const auto at = a.at(time);
    if (!at.layer) return {};
    std::vector<float> out = need(at.layer->floats(at.a, width), a);
    if (at.weight <= 0) return out;
    const std::vector<float> next = need(at.layer->floats(at.b, width), a);
    if (next.size() == out.size()) mix(out.data(), next.data(), static_cast<float>(at.weight), out.data(), out.size());
    return out;
}

std::vector<double> UsdScene::numbers(const UsdAttribute& a, double time) const {
    if (const auto o = over(a, time)) {
        std::vector<double> out = numbers(a, o->lower);
        const std::vector<double> next = numbers(a, o->upper);
        for (std::size_t i = 0; i < out.size() && next.size() == out.size(); ++i)
            out[i] += (next[i] - out[i]) * o->weight;
        return out;
    }
    const auto at = a.at(time);
    if (!at.layer) return {};
    std::vector<double> out = need(at.layer->numbers(at.a), a);
    if (at.weight <= 0) return out;
    const std::vector<double> next = need(at.layer->numbers(at.b), a);
    if (next.size() == out.size()) {
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += (next[i] - out[i]) * at.weight;
    }
    return out;
}

std::vector<std::int64_t> UsdScene::wholes(const UsdAttribute& a, double time) const {
    const auto at = a.at(time);
    return at.layer ? need(at.layer->wholes(at.a), a) : std::vector<std::int64_t>{};
}

std::vector<std::string> UsdScene::words(const UsdAttribute& a, double time) const {
    const auto at = a.at(time);
    return at.layer ? need(at.layer->words(at.a), a) : std::vector<std::string>{};
}

std::vector<V3f> UsdScene::vectors(const UsdAttribute& a, double time) const {
    const std::vector<float> values = floats(a, time, 3);
    std::vector<V3f> out(values.size() / 3);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = V3f(values[i * 3], values[i * 3 + 1], values[i * 3 + 2]);
    return out;
}

std::vector<Quatd> UsdScene::rotations(const UsdAttribute& a, double time) const {
    if (const auto o = over(a, time)) {
        std::vector<Quatd> out = rotations(a, o->lower);
        const std::vector<Quatd> next = rotations(a, o->upper);
        for (std::size_t i = 0; i < out.size() && next.size() == out.size(); ++i)
            out[i] = between({V3d(0), out[i]}, {V3d(0), next[i]}, o->weight).rotation;
        return out;
    }
    const auto at = a.at(time);
    if (!at.layer) return {};
    auto read = [&](const UsdRef& ref) {
        const std::vector<double> v = need(at.layer->numbers(ref), a);
        std::vector<Quatd> out;
        for (std::size_t i = 0; i + 3 < v.size(); i += 4) out.emplace_back(v[i], v[i + 1], v[i + 2], v[i + 3]);
        return out;
    };
    std::vector<Quatd> out = read(at.a);
    if (at.weight <= 0) return out;
    const std::vector<Quatd> next = read(at.b);
    for (std::size_t i = 0; i < out.size() && next.size() == out.size(); ++i)
        out[i] = between({V3d(0), out[i]}, {V3d(0), next[i]}, at.weight).rotation;
    return out;
}

double UsdScene::number(const UsdPrim& p, std::string_view name, double usual, double time) const {
    const UsdAttribute* a = p.find(name);
    if (!a) return usual;
    const std::vector<double> v = numbers(*a, time);
    return v.empty() ? usual : v[0];
}

std::string UsdScene::word(const UsdPrim& p, std::string_view name, std::string usual, double time) const {
    const UsdAttribute* a = p.find(name);
    if (!a) return usual;
    std::vector<std::string> v = words(*a, time);
    return v.empty() ? usual : v[0];
}

UsdScene::UsdScene(std::shared_ptr<const UsdStage> from) : stage(std::move(from)) {
    ops.reserve(stage->prims.size());
    bool shown = false, only_proxies = false;
    for (const UsdPrim& p : stage->prims) {
        ops.push_back(ops_of(p));
        const std::string above = p.parent >= 0 ? purpose[static_cast<std::size_t>(p.parent)] : "default";
        purpose.push_back(word(p, "purpose", above, start()));
        const bool geometry = p.drawn && (p.find("points") || is_usd_shape(p.type) || p.type == "PointInstancer");
        shown |= geometry && (purpose.back() == "default" || purpose.back() == "render");
        only_proxies |= geometry && purpose.back() == "proxy";
    }
    proxies = only_proxies && !shown;
}

UsdOps UsdScene::ops_of(const UsdPrim& p) const {
    UsdOps out;
    const UsdAttribute* order = p.find("xformOpOrder");
    if (!order) return out;
    std::vector<std::string> names = words(*order, start());
    for (std::size_t i = names.size(); i-- > 0;) { // the last one resets: what stands before it does not count
        if (names[i] != "!resetXformStack!") continue;
        out.resets = true;
        names.erase(names.begin(), names.begin() + static_cast<std::ptrdiff_t>(i) + 1);
        break;
    }
    for (auto name = names.rbegin(); name != names.rend(); ++name) { // the last of the list is nearest to the points
        UsdOp one;
        std::string_view op = *name;
        if (op.starts_with("!invert!")) op.remove_prefix(8), one.op.inverse = true;
        one.value = p.find(op);
        if (!one.value) bad(p, fmt::format("orders by {}, which it does not have", op));
        op.remove_prefix(std::min<std::size_t>(op.size(), 8)); // "xformOp:"
        const std::string_view kind = op.substr(0, op.find(':'));
        std::size_t wanted = 3;
        if (kind == "translate" || kind == "scale") {
            one.op.kind = kind == "scale" ? PartOp::scale : PartOp::translate;
        } else if (kind == "orient") {
            one.op.kind = PartOp::orient, wanted = 4;
        } else if (kind == "transform") {
            one.op.kind = PartOp::matrix, wanted = 16;
        } else if (kind.starts_with("rotate") && (kind.size() == 7 || kind.size() == 9)) {
            one.op.kind = PartOp::rotate, one.op.axes = kind.substr(6);
            wanted = one.op.axes.size();
            if (one.op.axes.find_first_not_of("XYZ") != std::string::npos)
                bad(p, fmt::format("has {}, which is no transform", one.value->name), ErrorCode::unsupported);
        } else if ((kind.starts_with("translate") || kind.starts_with("scale")) && "XYZ"[0] <= kind.back() &&
                   kind.back() <= 'Z' &&
                   kind.size() == (kind[0] == 't' ? 10u : 6u)) { // translateX: one number on one axis
            one.op.kind = kind[0] == 't' ? PartOp::translate : PartOp::scale;
            one.op.axes = kind.substr(kind.size() - 1);
            wanted = 1;
        } else {
            bad(p, fmt::format("has {}, which is no transform that is read", one.value->name), ErrorCode::unsupported);
        }
        const double first =
            one.value->has_samples() && !one.value->sample_times().empty() ? one.value->sample_times().front() : 0;
        if (const std::size_t got = numbers(*one.value, first).size(); got != wanted)
            bad(p, fmt::format("has {} numbers in {}, {} are needed", got, one.value->name, wanted));
        out.moves |= one.value->moves();
        out.list.push_back(std::move(one));
    }
    return out;
}

std::array<double, 16> usd_op_value(const UsdScene& scene, const UsdPrim& p, const UsdOp& o, double time) {
    std::array<double, 16> out{};
    if (o.op.kind == PartOp::orient) {
        const auto q = scene.rotations(*o.value, time);
        if (q.size() != 1 || !(q[0].length() > 1e-9)) scene.bad(p, fmt::format("has {} without length", o.value->name));
        return {q[0].v.x, q[0].v.y, q[0].v.z, q[0].r};
    }
    const std::vector<double> v = scene.numbers(*o.value, time);
    const std::size_t wanted = o.op.kind == PartOp::matrix ? 16 : o.op.axes.empty() ? 3 : o.op.axes.size();
    if (v.size() != wanted)
        scene.bad(p, fmt::format("has {} numbers in {}, {} are needed", v.size(), o.value->name, wanted));
    if (o.op.axes.size() == 1 && o.op.kind != PartOp::rotate) {
        out.fill(o.op.kind == PartOp::scale ? 1 : 0);
        out[static_cast<std::size_t>(o.op.axes[0] - 'X')] = v[0];
        return out;
    }
    std::copy(v.begin(), v.end(), out.begin());
    return out;
}

M44d UsdScene::local(int i, double time) const {
    M44d m;
    for (const UsdOp& o : ops[static_cast<std::size_t>(i)].list)
        m *= op_matrix(o.op, usd_op_value(*this, prim(i), o, time));
    return m;
}

M44d UsdScene::world(int i, double time) const {
    M44d m;
    for (int p = i; p >= 0; p = prim(p).parent) {
        m *= local(p, time);
        if (ops[static_cast<std::size_t>(p)].resets) break;
    }
    return m;
}

bool UsdScene::visible(int i, double time) const {
    return word(prim(i), "visibility", "inherited", time) != "invisible";
}

bool UsdScene::in_picture(int i) const {
    const std::string& p = purpose[static_cast<std::size_t>(i)];
    return p == "default" || p == "render" || (p == "proxy" && proxies);
}

} // namespace garland
