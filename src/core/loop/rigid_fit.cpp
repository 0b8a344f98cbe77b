#include "core/loop/rigid_fit.h"

#include <Imath/ImathMatrixAlgo.h>
#include <algorithm>
#include <cmath>

namespace garland {

RigidFit rigid_fit(std::span<const V3f> a, std::span<const V3f> b, std::span<const std::uint32_t> which) {
    RigidFit out;
    const std::size_t n = which.empty() ? std::min(a.size(), b.size()) : which.size();
    if (n == 0) return out;
    auto place = [&](std::size_t i) { return which.empty() ? i : static_cast<std::size_t>(which[i]); };
    for (std::size_t i = 0; i < n; ++i) {
        out.from += V3d(a[place(i)]);
        out.to += V3d(b[place(i)]);
    }
    out.from /= static_cast<double>(n);
    out.to /= static_cast<double>(n);
    Imath::M33d h(0.0); // Σ aᵢbᵢᵀ about the middles
    double squares = 0;
    for (std::size_t i = 0; i < n; ++i) {
        const V3d p = V3d(a[place(i)]) - out.from, q = V3d(b[place(i)]) - out.to;
        squares += p.length2() + q.length2();
        for (int r = 0; r < 3; ++r) {
            for (int c = 0; c < 3; ++c) h[r][c] += p[r] * q[c];
        }
    }
    Imath::M33d u, v;
    V3d s;
    Imath::jacobiSVD(h, u, s, v, 1e-15, true);   // both are turns; the last singular value may be below 0
    const Imath::M33d rows = u * v.transposed(); // for row vectors: b = a·R
    Imath::M44d wide;
    for (int r = 0; r < 3; ++r) {
        for (int c = 0; c < 3; ++c) wide[r][c] = rows[r][c];
    }
    out.rotation = Imath::extractQuat(wide).normalized();
    out.rms = std::sqrt(std::max(squares - 2 * (s.x + s.y + s.z), 0.0) / static_cast<double>(n));
    return out;
}

} // namespace garland
