// From half spectra to real fields: the inverse discrete Fourier transform, unscaled, of a square whose side is a power
// of two. Ours and not a library's, so that every processor gives the same bytes with its vector instructions in use:
// see docs/decisions/0009-water-in-the-same-bytes.md.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace garland {

// out(z, x) = Σ spectrum(i, j)·exp(2πi(iz + jx)/n) over all waves, of which those with 0 ≤ j < n/2 are given, each
// beside its mirror (−i, −j) with the conjugate number; waves with |j| = n/2 are 0. Two fields are made at once. J. W.
// Cooley and J. W. Tukey, 1965; without reordering after T. G. Stockham, 1966; two real fields as one complex.
class WaterTransform {
  public:
    static constexpr std::size_t lanes = 16; // columns (or rows) that are transformed beside each other

    explicit WaterTransform(int side); // a power of two, 64 … 4096
    std::size_t side() const { return n_; }

    // A half spectrum after its first half of work: numbers of column j, row z at j·side + z; side/2 columns.
    struct Half {
        std::vector<float> re, im;
    };
    // Columns first … first + lanes − 1 of a spectrum: wave row i of column first + b at [i·lanes + b]; used as
    // scratch.
    void columns(std::size_t first, std::vector<float>& re, std::vector<float>& im, Half& out) const;
    // The fields of two halves, row by row; for all rows. `b` may be nothing: then out_b is not used.
    void rows(const Half& a, const Half* b, std::vector<float>& out_a, std::vector<float>& out_b) const;

  private:
    // n transforms' first indices by `lanes`; the result is in re and im again.
    void transform(float* re, float* im, float* spare_re, float* spare_im) const;
    std::size_t n_;
    std::vector<float> cosines_, sines_; // of 2πk/n
};

} // namespace garland
