#include "core/source/pose_cache.h"

#include <atomic>
#include <bit>

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
    lock.unlock();
    Result<PosePtr> pose = make();
    lock.lock();
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
    const std::size_t bytes = pose->bytes();
    if (bytes > limit_) {
        entries_.erase(found);
        return;
    }
    recent_.push_front(key);
    found->second = Entry{pose, bytes, recent_.begin()};
    bytes_ += bytes;
    trim();
}

void PoseCache::trim() {
    while (bytes_ > limit_ && !recent_.empty()) {
        auto oldest = entries_.find(recent_.back());
        bytes_ -= oldest->second.bytes;
        entries_.erase(oldest);
        recent_.pop_back();
    }
}

void PoseCache::set_limit(std::size_t bytes) {
    std::lock_guard lock(mutex_);
    limit_ = bytes;
    trim();
}

void PoseCache::forget(std::uint64_t source) {
    std::lock_guard lock(mutex_);
    for (auto key = recent_.begin(); key != recent_.end();) {
        if (key->source != source) {
            ++key;
            continue;
        }
        auto entry = entries_.find(*key);
        bytes_ -= entry->second.bytes;
        entries_.erase(entry);
        key = recent_.erase(key);
    }
}

PoseCache::Use PoseCache::use() const {
    std::lock_guard lock(mutex_);
    return {bytes_, limit_, recent_.size(), made_count_, found_count_};
}

} // namespace garland
