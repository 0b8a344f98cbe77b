// What the fast copies of all kinds share. Used by io/fast_copy*.cpp only.
#pragma once

#include "io/fast_copy.h"

namespace garland {

Result<FastCopyDone> copy_particles(const Source& source, const FastCopyOrder& order, Progress& progress);
Result<FastCopyDone> copy_volumes(const Source& source, const FastCopyOrder& order, Progress& progress);

// The source's own files are never written over, and others only where the order says so.
Result<void> may_be_written(const Source& source, const std::vector<std::string>& paths, const FastCopyOrder& order);

// Reports and asks. written: what is kept when one stops now; "" for nothing.
Result<void> still_wanted(Progress& progress, const SourceFacts& facts, std::int64_t frame, double from, double to, const char* what,
                          const std::string& written = {});

Result<void> fits_halves(const std::vector<V3f>& points, std::int64_t frame);
double furthest(const std::vector<V3f>& a, const std::vector<V3f>& b); // of a coordinate; equal lengths

} // namespace garland
