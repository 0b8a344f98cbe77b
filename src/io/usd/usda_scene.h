// A USD layer at a time: its meshes, transforms and sample times. Used by io/usda_source.cpp only; errors are thrown as
// UsdaBad on the way and become values there.
#pragma once

#include "core/geometry/blend.h"
#include "core/geometry/pieces.h"
#include "io/files/mapped_file.h"
#include "io/usd/usda.h"

#include <Imath/ImathMatrix.h>
#include <Imath/ImathQuat.h>

#include <fmt/format.h>
#include <set>

namespace garland {

using Imath::M44d;
using Imath::Quatd;

struct UsdaBad {
    Error error;
};

// What both kinds of USD sources keep: the mapped file, and the layer whose values lie in it.
struct UsdaScene {
    std::string path;
    MappedFile file;
    UsdaLayer layer;

    std::string_view text() const { return {file.data(), file.size()}; }
    template <class T>
    T need(Result<T> value, const UsdaAttribute& a, std::string_view text_of_it) const {
        if (value) return std::move(*value);
        throw UsdaBad{Error{value.error().code, fmt::format("{}: {}", a.name, value.error().message)}.at(path).at_line(
            line_of(text(), text_of_it.data()))};
    }
    std::vector<float> floats(const UsdaAttribute& a, std::string_view value, std::size_t width) const {
        return need(usda_floats(value, width), a, value);
    }
    std::vector<std::int64_t> wholes(const UsdaAttribute& a, std::string_view value) const {
        return need(usda_wholes(value), a, value);
    }

    // Floats at a time: linear between samples of equal length, otherwise the sample before (as the format says).
    std::vector<float> floats_at(const UsdaAttribute& a, double time, std::size_t width) const {
        const auto at = a.at(time);
        std::vector<float> out = floats(a, at.a, width);
        if (at.weight <= 0) return out;
        const std::vector<float> next = floats(a, at.b, width);
        if (next.size() == out.size())
            mix(out.data(), next.data(), static_cast<float>(at.weight), out.data(), out.size());
        return out;
    }
    std::vector<V3f> vectors_at(const UsdaAttribute& a, double time) const {
        const std::vector<float> values = floats_at(a, time, 3);
        std::vector<V3f> out(values.size() / 3);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = V3f(values[i * 3], values[i * 3 + 1], values[i * 3 + 2]);
        return out;
    }
};

struct UsdaXform {
    M44d matrix; // for row vectors
    bool resets = false;
};

std::shared_ptr<Faces> faces_at(const UsdaScene& scene, const UsdaPrim& prim, double time, std::size_t points);
// A mesh prim at a time, in its own space. known: its faces, where they do not change.
Pose mesh_at(const UsdaScene& scene, const UsdaPrim& prim, double time, std::shared_ptr<const Faces> known);
// One transform operation of a prim.
M44d op_matrix(const UsdaScene& scene, const UsdaPrim& prim, std::string_view op, double time);
UsdaXform local_at(const UsdaScene& scene, const UsdaPrim& prim, double time);
M44d world_at(const UsdaScene& scene, int prim, double time);
std::set<double> sample_times(const UsdaPrim& prim, bool transforms);

} // namespace garland
