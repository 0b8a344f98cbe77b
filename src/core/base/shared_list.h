// A list that is made once and then shared: taken over, not copied, by whatever is made from it.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace garland {

template <class T>
class SharedList {
  public:
    SharedList() = default;
    SharedList(std::vector<T> list) : list_(std::make_shared<const std::vector<T>>(std::move(list))) {}
    operator const std::vector<T>&() const { return *list_; }
    const std::vector<T>& list() const { return *list_; }
    std::size_t size() const { return list_->size(); }
    bool empty() const { return list_->empty(); }
    const T* data() const { return list_->data(); }
    const T* begin() const { return list_->data(); }
    const T* end() const { return list_->data() + list_->size(); }
    const T& operator[](std::size_t i) const { return (*list_)[i]; }
    bool same_as(const SharedList& other) const { return list_ == other.list_; } // the very same list

  private:
    std::shared_ptr<const std::vector<T>> list_ = std::make_shared<const std::vector<T>>();
};

// The entries `which` of a list, in that order; of an empty list an empty one.
template <class T>
SharedList<T> part_of(const SharedList<T>& list, std::span<const std::uint32_t> which) {
    if (list.empty()) return list;
    std::vector<T> out;
    out.reserve(which.size());
    for (std::uint32_t i : which) out.push_back(list[i]);
    return out;
}

} // namespace garland
