#include "core/base/portable_math.h"

#include <cmath>
#include <limits>
#include <numbers>

namespace garland::portable {

namespace {

struct Reduced {
    int quarter = 0;          // quarters of a turn, modulo 4
    double high = 0, low = 0; // what is left, within π/4 of 0
};

// Cody and Waite's reduction by π/2 in three parts of 33 bits.
Reduced reduced(double x) {
    constexpr double most = 8e5;
    if (!(std::abs(x) <= most)) x = std::fmod(x, 2 * std::numbers::pi);
    constexpr double first = 1.57079632673412561417e+00, second = 6.07710050630396597660e-11,
                     third = 2.02226624871116645580e-21, rest = 8.47842766036889956997e-32;
    const double n = std::rint(x * (2 / std::numbers::pi));
    double r = x - n * first;
    const double t1 = r, w1 = n * second;
    r = t1 - w1;
    const double lost1 = (t1 - r) - w1;
    const double t2 = r, w2 = n * third;
    r = t2 - w2;
    const double lost2 = (t2 - r) - w2;
    const double w = n * rest - lost1 - lost2;
    Reduced out;
    out.high = r - w;
    out.low = (r - out.high) - w;
    out.quarter = static_cast<int>(static_cast<long long>(n) & 3);
    return out;
}

double sine_of(double x, double y) {
    const double z = x * x, v = z * x;
    const double r =
        8.33333333332248946124e-03 +
        z * (-1.98412698298579493134e-04 +
             z * (2.75573137070700676789e-06 + z * (-2.50507602534068634195e-08 + z * 1.58969099521155010221e-10)));
    return x - ((z * (0.5 * y - v * r) - y) - v * -1.66666666666666324348e-01);
}

double cosine_of(double x, double y) {
    const double z = x * x;
    const double r = z * (4.16666666666666019037e-02 +
                          z * (-1.38888888888741095749e-03 +
                               z * (2.48015872894767294178e-05 +
                                    z * (-2.75573143513906633035e-07 +
                                         z * (2.08757232129817482790e-09 + z * -1.13596475577881948265e-11)))));
    const double half = 0.5 * z, w = 1 - half;
    return w + (((1 - w) - half) + (z * r - x * y));
}

constexpr double ln2_high = 6.93147180369123816490e-01, ln2_low = 1.90821492927058770002e-10;

double atan(double x) {
    constexpr double high[] = {4.63647609000806093515e-01, 7.85398163397448278999e-01, 9.82793723247329054082e-01,
                               1.57079632679489655800e+00};
    constexpr double low[] = {2.26987774529616870924e-17, 3.06161699786838301793e-17, 1.39033110312309984516e-17,
                              6.12323399573676603587e-17};
    constexpr double a[] = {3.33333333333329318027e-01,  -1.99999999998764832476e-01, 1.42857142725034663711e-01,
                            -1.11111104054623557880e-01, 9.09088713343650656196e-02,  -7.69187620504482999495e-02,
                            6.66107313738753120669e-02,  -5.83357013379057348645e-02, 4.97687799461593236017e-02,
                            -3.65315727442169155270e-02, 1.62858201153657823623e-02};
    const bool negative = std::signbit(x);
    double v = std::abs(x);
    int id = -1;
    if (v >= 2.4375) {
        id = 3, v = -1 / v;
    } else if (v >= 1.1875) {
        id = 2, v = (v - 1.5) / (1 + 1.5 * v);
    } else if (v >= 0.6875) {
        id = 1, v = (v - 1) / (v + 1);
    } else if (v >= 0.4375) {
        id = 0, v = (2 * v - 1) / (2 + v);
    }
    const double z = v * v, w = z * z;
    const double s = z * (a[0] + w * (a[2] + w * (a[4] + w * (a[6] + w * (a[8] + w * a[10]))))) +
                     w * (a[1] + w * (a[3] + w * (a[5] + w * (a[7] + w * a[9]))));
    const double out = id < 0 ? v - v * s : high[id] - ((v * s - low[id]) - v);
    return negative ? -out : out;
}

} // namespace

double sin(double radians) {
    const Reduced r = reduced(radians);
    switch (r.quarter) {
    case 0: return sine_of(r.high, r.low);
    case 1: return cosine_of(r.high, r.low);
    case 2: return -sine_of(r.high, r.low);
    default: return -cosine_of(r.high, r.low);
    }
}

double cos(double radians) {
    const Reduced r = reduced(radians);
    switch (r.quarter) {
    case 0: return cosine_of(r.high, r.low);
    case 1: return -sine_of(r.high, r.low);
    case 2: return -cosine_of(r.high, r.low);
    default: return sine_of(r.high, r.low);
    }
}

double exp(double x) {
    if (std::isnan(x)) return x;
    if (x > 709.782712893383973096) return std::numeric_limits<double>::infinity();
    if (x < -745.13321910194110842) return 0;
    const double k = std::rint(x * 1.44269504088896338700e+00);
    const double high = x - k * ln2_high, low = k * ln2_low, r = high - low, t = r * r;
    const double c = r - t * (1.66666666666666019037e-01 +
                              t * (-2.77777777770155933842e-03 +
                                   t * (6.61375632143793436117e-05 +
                                        t * (-1.65339022054652515390e-06 + t * 4.13813679705723846039e-08))));
    const double y = 1 - ((low - (r * c) / (2 - c)) - high);
    return std::ldexp(y, static_cast<int>(k));
}

double log(double x) {
    if (!(x > 0)) return x == 0 ? -std::numeric_limits<double>::infinity() : std::numeric_limits<double>::quiet_NaN();
    if (std::isinf(x)) return x;
    int exponent = 0;
    double m = std::frexp(x, &exponent); // ½ … 1
    if (m < std::numbers::sqrt2 / 2) m *= 2, --exponent;
    const double f = m - 1, k = exponent, s = f / (2 + f), z = s * s, w = z * z;
    const double t1 = w * (3.999999999940941908e-01 + w * (2.222219843214978396e-01 + w * 1.531383769920937332e-01));
    const double t2 =
        z * (6.666666666666735130e-01 +
             w * (2.857142874366239149e-01 + w * (1.818357216161805012e-01 + w * 1.479819860511658591e-01)));
    const double half = 0.5 * f * f;
    return k * ln2_high - ((half - (s * (half + t1 + t2) + k * ln2_low)) - f);
}

double atan2(double y, double x) {
    constexpr double pi_low = 1.2246467991473531772e-16;
    if (std::isnan(x) || std::isnan(y)) return x + y;
    if (y == 0) return std::signbit(x) ? std::copysign(std::numbers::pi, y) : y;
    if (x == 0) return std::copysign(std::numbers::pi / 2, y);
    if (std::isinf(x) && std::isinf(y))
        return std::copysign(x > 0 ? std::numbers::pi / 4 : 3 * std::numbers::pi / 4, y);
    if (std::isinf(y)) return std::copysign(std::numbers::pi / 2, y);
    const double a = atan(std::abs(y / x));
    if (x > 0) return y > 0 ? a : -a;
    return y > 0 ? std::numbers::pi - (a - pi_low) : (a - pi_low) - std::numbers::pi;
}

double acos(double x) {
    return atan2(std::sqrt((1 - x) * (1 + x)), x);
}

double cbrt(double x) {
    if (x == 0 || !std::isfinite(x)) return x;
    int exponent = 0;
    const double m = std::frexp(std::abs(x), &exponent); // ½ … 1
    const int third = exponent >= 0 ? exponent / 3 : -((2 - exponent) / 3), left = exponent - 3 * third;
    const double a = std::ldexp(m, left); // ½ … 4
    double r = 0.5 + a * 0.4 - a * a * 0.04;
    for (int k = 0; k < 6; ++k) r = r - (r * r * r - a) / (3 * r * r); // Newton's; six are more than enough
    return std::copysign(std::ldexp(r, third), x);
}

} // namespace garland::portable
