// Compiles as it is; with -DMIX every one of these lines must be refused, and the test expects failure.
#include "core/base/ids.h"
#include "core/time/frames.h"

using namespace garland;

OutputFrame later(OutputFrame f) {
    return f + 1.0;
}
double apart(SourceFrame a, SourceFrame b) {
    return a - b;
}

#ifdef MIX
SourceFrame mixed(OutputFrame f) {
    return f;
}
#endif
