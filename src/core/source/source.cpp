#include "core/source/source.h"

#include <algorithm>

namespace garland {

std::int64_t Source::present(std::int64_t file_frame) const {
    const SourceFacts& f = facts();
    file_frame = std::clamp(file_frame, f.first, f.last);
    while (file_frame > f.first && std::binary_search(f.missing.begin(), f.missing.end(), file_frame)) --file_frame;
    return file_frame;
}

std::int64_t Source::next_present(std::int64_t file_frame) const {
    const SourceFacts& f = facts();
    file_frame = std::clamp(file_frame, f.first, f.last);
    while (file_frame < f.last && std::binary_search(f.missing.begin(), f.missing.end(), file_frame)) ++file_frame;
    return file_frame;
}

const char* to_text(SourceKind kind) {
    switch (kind) {
    case SourceKind::mesh_cache: return "mesh cache";
    case SourceKind::mesh_sequence: return "mesh sequence";
    case SourceKind::pieces: return "pieces";
    }
    return "mesh cache";
}

} // namespace garland
