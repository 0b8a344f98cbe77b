// The readers of sources, one row each: which paths a reader takes, and how it opens them. open_source asks them in
// order; io/formats.h says what each format holds.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"

#include <span>
#include <string>
#include <string_view>

namespace garland {

// A path as it was asked for: `stem` without `ending`, which is in lower case; of a packed file both are those of what
// is inside.
struct AskedPath {
    std::string path, stem, ending;
    bool packed = false; // by gzip or Zstandard
};
AskedPath asked_path(const std::string& path);

struct Reader {
    std::string_view name;
    bool (*takes)(const AskedPath&); // may look which files lie beside it; reads at most a header
    Result<SourcePtr> (*open)(const AskedPath&, Progress&, const SourceChoices&);
};

// Those with more to go by first: an array beside its mesh comes before the mesh alone.
std::span<const Reader> readers();

} // namespace garland
