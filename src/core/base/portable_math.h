// Sine, cosine and their like with the same last bit on every processor: the system's library chooses other code for
// other processors. For everything that is written out or shown as a number. The argument reductions and polynomials
// are those of FDLIBM (K. C. Ng, Sun Microsystems, 1993), with errors below one unit in the last place of a double;
// nothing here is contracted or vectorised into other roundings (see docs/decisions/0002-exact-time.md).
#pragma once

namespace garland::portable {

double sin(double radians); // |radians| up to 8·10⁵ with full precision, beyond that reduced by 2π as a double
double cos(double radians);
double exp(double x);
double log(double x); // x above 0; otherwise −∞ for 0, not a number below
double atan2(double y, double x);
double acos(double x); // −1 … 1
double cbrt(double x);

} // namespace garland::portable
