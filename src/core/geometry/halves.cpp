#include "core/geometry/halves.h"

#include <Imath/half.h>
#include <cstring>

#if defined(__x86_64__) && defined(__GNUC__)
#include <cpuid.h>
#include <immintrin.h>
#define GARLAND_F16C 1
#endif

namespace garland {

namespace {

float plain(const char* halves, std::size_t i) {
    std::uint16_t bits = 0;
    std::memcpy(&bits, halves + 2 * i, sizeof bits);
    Imath::half h;
    h.setBits(bits);
    return h;
}

#ifdef GARLAND_F16C
__attribute__((target("avx,f16c"))) std::size_t convert_fast(const char* from, float* out, std::size_t count) {
    std::size_t i = 0;
    for (; i + 8 <= count; i += 8) {
        _mm256_storeu_ps(out + i, _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(from + 2 * i))));
    }
    return i;
}

__attribute__((target("avx,f16c"))) std::size_t mix_fast(const char* a, const char* b, float w, float* out,
                                                         std::size_t count) {
    const __m256 weight = _mm256_set1_ps(w);
    std::size_t i = 0;
    for (; i + 8 <= count; i += 8) {
        const __m256 x = _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(a + 2 * i)));
        const __m256 y = _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(b + 2 * i)));
        _mm256_storeu_ps(out + i, _mm256_add_ps(x, _mm256_mul_ps(weight, _mm256_sub_ps(y, x))));
    }
    return i;
}
#endif

} // namespace

bool halves_are_fast() {
#ifdef GARLAND_F16C
    static const bool can =
        [] { // clang's builtin does not know f16c: bit 29 of leaf 1 (Intel, Software Developer's Manual, CPUID)
            unsigned a = 0, b = 0, c = 0, d = 0;
            return __builtin_cpu_supports("avx") && __get_cpuid(1, &a, &b, &c, &d) != 0 && (c & (1u << 29)) != 0;
        }();
    return can;
#else
    return false;
#endif
}

void from_halves(const void* halves, float* out, std::size_t count) {
    const auto* from = static_cast<const char*>(halves);
    std::size_t i = 0;
#ifdef GARLAND_F16C
    if (halves_are_fast()) i = convert_fast(from, out, count);
#endif
    for (; i < count; ++i) out[i] = plain(from, i);
}

void mix_halves(const void* a, const void* b, float w, float* out, std::size_t count) {
    if (w == 0 || w == 1) return from_halves(w == 0 ? a : b, out, count);
    const auto *from = static_cast<const char*>(a), *to = static_cast<const char*>(b);
    std::size_t i = 0;
#ifdef GARLAND_F16C
    if (halves_are_fast()) i = mix_fast(from, to, w, out, count);
#endif
    for (; i < count; ++i) {
        const float x = plain(from, i), y = plain(to, i);
        out[i] = x + w * (y - x);
    }
}

} // namespace garland
