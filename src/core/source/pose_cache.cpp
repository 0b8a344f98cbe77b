#include "core/source/pose_cache.h"

#include "core/base/parallel.h"

#include <atomic>
#include <bit>
#include <exception>
#include <new>

namespace garland {

std::size_t PoseCache::Hash::operator()(const PoseKey& key) const {
    std::uint64_t h = std::bit_cast<std::uint64_t>(key.file_frame) ^ (key.source * 0x9E3779B97F4A7C15u);
    h = (h ^ (h >> 32)) * 0xD6E8FEB86659FD93u;
    return static_cast<std::size_t>(h ^ (h >> 29));
}

std::uint64_t PoseCache::new_serial() {
    static std::atomic<std::uint64_t> next{1};
    return next++;
}

Result<PosePtr> PoseCache::get(const PoseKey& key, const std::function<Result<PosePtr>()>& make) {
    std::unique_lock lock(mutex_);
    for (;;) {
        auto found = entries_.find(key);
        if (found == entries_.end()) break;
        if (found->second.pose) {
            recent_.splice(recent_.begin(), recent_, found->second.place);
            ++found_count_;
            return found->second.pose;
        }
        made_.wait(lock); // another thread is making it; on its error we try ourselves
    }
    entries_[key] = Entry{nullptr, 0, recent_.end()};
    ++making_;
    trim(); // room is made before it is needed, so that the limit holds all the while
    lock.unlock();
    // However making ends, those who wait are told. While this thread waits for work of its own that runs on the pool,
    // it must not begin other work, which may wait for this very pose.
    Result<PosePtr> pose =
        fail(Error{ErrorCode::unsupported, "the pose could not be made"}.advise("choose another frame"));
    isolated([&] {
        try {
            pose = make();
        } catch (const std::bad_alloc&) {
            pose = fail(Error{ErrorCode::too_large, "there is not enough memory for this pose"}
                            .keeping("everything else")
                            .advise("lower the cache limit, or close other programs"));
        } catch (const std::exception& error) {
            pose = fail(
                Error{ErrorCode::malformed, std::string("the pose could not be made (") + error.what() + ")"}.advise(
                    "choose another frame, or make the cache smaller"));
        } catch (...) {
            pose = fail(Error{ErrorCode::malformed, "the pose could not be made"}.advise("choose another frame"));
        }
    });
    lock.lock();
    --making_;
    if (pose && *pose) {
        ++made_count_;
        keep(key, *pose);
    } else {
        entries_.erase(key);
    }
    lock.unlock();
    made_.notify_all();
    return pose;
}

bool PoseCache::has(const PoseKey& key) const {
    std::lock_guard lock(mutex_);
    return entries_.count(key) > 0;
}

PosePtr PoseCache::find(const PoseKey& key) {
    std::lock_guard lock(mutex_);
    auto found = entries_.find(key);
    if (found == entries_.end() || !found->second.pose) return nullptr;
    recent_.splice(recent_.begin(), recent_, found->second.place);
    ++found_count_;
    return found->second.pose;
}

void PoseCache::keep(const PoseKey& key, const PosePtr& pose) {
    auto found = entries_.find(key);
    if (found == entries_.end()) return; // forgotten meanwhile
    const std::size_t bytes = pose->bytes(), with_faces = bytes + pose->faces->bytes();
    last_bytes_ = bytes;
    if (with_faces > limit_) {
        entries_.erase(found);
        return;
    }
    recent_.push_front(key);
    found->second = Entry{pose, bytes, recent_.begin()};
    bytes_ += faces_[pose->faces.get()]++ == 0 ? with_faces : bytes;
    trim();
}

void PoseCache::drop(Entries::iterator entry) {
    const PosePtr& pose = entry->second.pose;
    bytes_ -= entry->second.bytes;
    const auto faces = faces_.find(pose->faces.get());
    if (--faces->second == 0) {
        bytes_ -= pose->faces->bytes();
        faces_.erase(faces);
    }
    recent_.erase(entry->second.place);
    entries_.erase(entry);
}

void PoseCache::trim() {
    // What is being made, and the two poses it is made of, which live on though they may have been dropped here.
    const std::size_t each = limit_ >= 16 * last_bytes_ ? 3 * last_bytes_ : last_bytes_;
    while (bytes_ + making_ * each > limit_ && !recent_.empty()) drop(entries_.find(recent_.back()));
}

void PoseCache::set_limit(std::size_t bytes) {
    std::lock_guard lock(mutex_);
    limit_ = bytes;
    trim();
}

void PoseCache::forget(std::uint64_t source) {
    std::lock_guard lock(mutex_);
    for (auto key = recent_.begin(); key != recent_.end();) {
        const auto next = std::next(key);
        if (key->source == source) drop(entries_.find(*key));
        key = next;
    }
}

PoseCache::Use PoseCache::use() const {
    std::lock_guard lock(mutex_);
    return {bytes_, limit_, recent_.size(), made_count_, found_count_};
}

} // namespace garland
