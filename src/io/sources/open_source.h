// From any path that belongs to a source to the source itself.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"

#include <string>
#include <vector>

namespace garland {

// Opens one of
//   any file of a numbered OBJ or PLY series,
//   a base mesh (OBJ or PLY) beside name.npy of shape (frames, points, 3), or that array itself; velocities, if any, in
//   name_velocity.npy or name.velocity.npy of the same shape.
// Reads the first and the last pose and the size of every other; nothing else. Errors: not_found, unsupported (with
// what can be opened), malformed …; cancelled.
//
// choices: of variants and animations, as the facts of the source list them. One that the file does not have is a
// problem among the facts.
Result<SourcePtr> open_source(const std::string& path, Progress& progress = Progress::none(),
                              const SourceChoices& choices = {});

// "paper=long", as a person says it: the choice's name, the name of its set of variants or its title, and one of its
// options; an empty option takes back what was chosen. Errors: invalid, with what there is to choose.
Result<std::pair<std::string, std::string>> choice_in(const SourceFacts& facts, const std::string& words);
// Opens a source with such words; chosen: what they were found to mean, on top of what it holds already.
Result<SourcePtr> open_chosen(const std::string& path, const std::vector<std::string>& words, SourceChoices& chosen,
                              Progress& progress = Progress::none());

// Hand-made meshes of equal points, each shown `frames_each` frames in the order given: a source of kind shapes, from
// frame 0. Stepped, or blended from shape to shape, as the way between frames says. Errors: invalid where there is no
// file; malformed, where one has other points or faces than the first.
Result<SourcePtr> open_shapes(const std::vector<std::string>& files, std::int64_t frames_each,
                              Progress& progress = Progress::none());

// The endings that open_source knows, for file dialogs: ".ply", ".obj", ".npy".
std::vector<std::string> source_endings();

} // namespace garland
