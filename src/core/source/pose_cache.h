// Poses in memory, within a limit; the least recently used goes first. Shared by all threads.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"

#include <condition_variable>
#include <cstdint>
#include <functional>
#include <list>
#include <mutex>
#include <unordered_map>

namespace garland {

// A pose is known by the source that made it (a serial number that is never reused) and its file frame, fraction and
// all.
struct PoseKey {
    std::uint64_t source = 0;
    double file_frame = 0;
    bool operator==(const PoseKey&) const = default;
};

class PoseCache {
  public:
    // bytes: with the faces, which count once however many poses share them.
    struct Use {
        std::size_t bytes = 0, limit = 0, poses = 0;
        std::uint64_t made = 0, found = 0; // since the cache exists
    };

    explicit PoseCache(std::size_t limit_bytes) : limit_(limit_bytes) {}

    // The pose of `key`, made by `make` if it is not here. Two threads that ask for the same pose make it once: the
    // second waits. An error is given to all who waited and is not kept. A pose larger than the limit is handed out but
    // not kept.
    Result<PosePtr> get(const PoseKey& key, const std::function<Result<PosePtr>()>& make);
    PosePtr find(const PoseKey& key); // nothing if it is not here yet; counts as a use

    bool has(const PoseKey& key) const; // no use; true also while it is being made

    void set_limit(std::size_t bytes);
    void forget(std::uint64_t source); // drops all poses of a source
    Use use() const;

    static std::uint64_t new_serial(); // for PoseKey::source

  private:
    struct Hash {
        std::size_t operator()(const PoseKey& key) const;
    };
    struct Entry {
        PosePtr pose; // empty while it is being made
        std::size_t bytes = 0;
        std::list<PoseKey>::iterator place;
    };
    using Entries = std::unordered_map<PoseKey, Entry, Hash>;
    void trim();
    void drop(Entries::iterator entry); // and its place
    void keep(const PoseKey& key, const PosePtr& pose);

    mutable std::mutex mutex_;
    std::condition_variable made_;
    Entries entries_;
    std::unordered_map<const Faces*, std::size_t> faces_; // how many poses have them
    std::list<PoseKey> recent_;                           // front: used last
    std::size_t limit_, bytes_ = 0;
    std::size_t making_ = 0, last_bytes_ = 0; // poses being made are taken to be as large as the last one
    std::uint64_t made_count_ = 0, found_count_ = 0;
};

} // namespace garland
