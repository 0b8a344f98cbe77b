// Animations of a glTF: which there are, which one is read, and its tracks. What is wrong is thrown as GltfBad.
#pragma once

#include "io/gltf/gltf_values.h"

#include <set>

namespace garland {

class GltfAnimations : GltfValues {
  public:
    explicit GltfAnimations(const tinygltf::Model& model) : GltfValues(model) {}

    // Which animations there are, and which one is meant: the asked one, else all together where no two move the same,
    // else the first.
    void choose(GltfContent& out, const std::string& asked) const;
    // Nodes whose visibility the chosen one animates.
    std::set<int> shown_in_time(const GltfContent& chosen) const;
    // The chosen one's tracks and channels into a model. index_of: the model's node of each of the file's, −1: none.
    // What is passed over becomes a note.
    void read(GltfContent& content, const std::vector<int>& index_of, KeyedModel& model) const;

  private:
    KeyTrack track_of(const tinygltf::AnimationSampler& sampler, PartPath path, std::size_t animation) const;
};

} // namespace garland
