#include "core/geometry/particles.h"

#include "core/base/cubic.h"

#include <algorithm>
#include <utility>

namespace garland {

namespace {

constexpr std::size_t none = ~std::size_t(0);

// From an id to where it stands in a pose.
class ById {
  public:
    explicit ById(const Pose& pose) {
        rising_ = std::is_sorted(pose.ids.begin(), pose.ids.end());
        places_.reserve(pose.ids.size());
        for (std::size_t i = 0; i < pose.ids.size(); ++i) places_.emplace_back(pose.ids[i], i);
        if (!rising_) std::sort(places_.begin(), places_.end());
    }
    std::size_t find(std::int64_t id) const {
        const auto at = std::lower_bound(places_.begin(), places_.end(), std::pair(id, std::size_t(0)));
        return at != places_.end() && at->first == id ? at->second : none;
    }

  private:
    std::vector<std::pair<std::int64_t, std::size_t>> places_;
    bool rising_ = false;
};

// The values of some points of one pose, or mixed from pairs of two.
struct Pair {
    std::size_t a = none, b = none; // one of them may be none
};

template <class T>
std::vector<T> gather(const std::vector<T>& a, const std::vector<T>& b, const std::vector<Pair>& pairs, float w) {
    std::vector<T> out;
    if (a.empty() || b.empty()) return out;
    out.reserve(pairs.size());
    for (const Pair& p : pairs) {
        if (p.a == none) {
            out.push_back(b[p.b]);
        } else if (p.b == none) {
            out.push_back(a[p.a]);
        } else {
            out.push_back(a[p.a] + (b[p.b] - a[p.a]) * w);
        }
    }
    return out;
}

Attribute gather(const Attribute& a, const Attribute& b, const std::vector<Pair>& pairs, float w) {
    Attribute out{a.name, a.width};
    out.vector = a.vector;
    const auto width = static_cast<std::size_t>(a.width);
    for (const Pair& p : pairs) {
        for (std::size_t k = 0; k < width; ++k) {
            if (!a.whole.empty()) {
                const bool from_b = p.a == none || (p.b != none && w >= 0.5f);
                out.whole.push_back(from_b ? b.whole[p.b * width + k] : a.whole[p.a * width + k]);
            } else if (p.a == none || p.b == none) {
                out.values.push_back(p.a == none ? b.values[p.b * width + k] : a.values[p.a * width + k]);
            } else {
                const float x = a.values[p.a * width + k];
                out.values.push_back(x + w * (b.values[p.b * width + k] - x));
            }
        }
    }
    return out;
}

} // namespace

bool is_particles(const Pose& pose) {
    return !pose.volume && pose.faces->count() == 0 && pose.ids.size() == pose.points.size();
}

const Attribute* find_scalar(const Pose& pose, std::string_view name) {
    for (const Attribute& a : pose.attributes) {
        if (a.name == name && a.width == 1 && a.values.size() == pose.points.size()) return &a;
    }
    return nullptr;
}

namespace {

// Which particles of a and b are the same ones at the weight wf of a span in seconds; those whose life is over by then
// or who are not yet born are left out.
std::vector<Pair> pairs_of(const Pose& a, const Pose& b, float wf, float span) {
    const Attribute *age_a = find_scalar(a, "age"), *life = find_scalar(a, "life"), *age_b = find_scalar(b, "age");
    const ById in_a(a), in_b(b);
    std::vector<Pair> pairs;
    for (std::size_t i = 0; i < a.ids.size(); ++i) {
        const std::size_t j = in_b.find(a.ids[i]);
        const bool over = j == none && age_a && life && age_a->values[i] + wf * span >= life->values[i];
        if (!over) pairs.push_back({i, j});
    }
    for (std::size_t j = 0; j < b.ids.size(); ++j) {
        const bool born = age_b && (1 - wf) * span <= age_b->values[j];
        if (born && in_a.find(b.ids[j]) == none) pairs.push_back({none, j});
    }
    return pairs;
}

// What is born is younger than at b, what dies older than at a.
void age_lone(const std::vector<Pair>& pairs, float wf, float span, std::vector<Attribute>& attributes) {
    for (Attribute& one : attributes) {
        if (one.name != "age" || one.width != 1 || one.values.empty()) continue;
        for (std::size_t n = 0; n < pairs.size(); ++n) {
            if (pairs[n].a == none) one.values[n] -= (1 - wf) * span;
            if (pairs[n].b == none) one.values[n] += wf * span;
        }
    }
}

} // namespace

PosePtr blend_particles(const Beside& before, const PosePtr& a, const PosePtr& b, const Beside& after, double w,
                        SubFrame how, double seconds) {
    const auto wf = static_cast<float>(w), span = static_cast<float>(seconds);
    const bool fast_a = a->velocities.size() == a->points.size(), fast_b = b->velocities.size() == b->points.size();

    const std::vector<Pair> pairs = pairs_of(*a, *b, wf, span);
    auto out = std::make_shared<Pose>();
    out->faces = a->faces;
    out->points.resize(pairs.size());
    out->ids.resize(pairs.size());

    const HermiteBasis<float> by(wf);
    const bool through = how == SubFrame::smooth && !(fast_a && fast_b);
    const ById left(before.pose && through ? *before.pose : Pose{}),
        right(after.pose && through ? *after.pose : Pose{});
    for (std::size_t n = 0; n < pairs.size(); ++n) {
        const auto [i, j] = pairs[n];
        const std::int64_t id = i == none ? b->ids[j] : a->ids[i];
        out->ids[n] = id;
        V3f& place = out->points[n];
        if (i == none) {
            place = b->points[j] - (fast_b ? b->velocities[j] * ((1 - wf) * span) : V3f(0));
            continue;
        }
        if (j == none) {
            place = a->points[i] + (fast_a ? a->velocities[i] * (wf * span) : V3f(0));
            continue;
        }
        const V3f &p = a->points[i], &q = b->points[j];
        if (how == SubFrame::carried && (wf < 0.5f ? fast_a : fast_b)) {
            place = wf < 0.5f ? p + a->velocities[i] * (wf * span) : q - b->velocities[j] * ((1 - wf) * span);
        } else if (how == SubFrame::smooth && !through) {
            place = p * by.start + q * by.end + a->velocities[i] * (by.leave * span) +
                    b->velocities[j] * (by.arrive * span);
        } else if (through) {
            const std::size_t l = left.find(id), r = right.find(id);
            V3f leave, arrive;
            parabolic_slopes(l == none ? nullptr : &before.pose->points[l], before.away, p, q,
                             r == none ? nullptr : &after.pose->points[r], after.away, leave, arrive);
            place = p * by.start + q * by.end + leave * by.leave + arrive * by.arrive;
        } else {
            place = p + (q - p) * wf;
        }
    }
    out->velocities = gather(a->velocities, b->velocities, pairs, wf);
    out->colours = gather(a->colours, b->colours, pairs, wf);
    for (const Attribute& one : a->attributes) {
        for (const Attribute& other : b->attributes) {
            if (other.name != one.name || other.width != one.width || one.whole.empty() != other.whole.empty())
                continue;
            out->attributes.push_back(gather(one, other, pairs, wf));
        }
    }
    age_lone(pairs, wf, span, out->attributes);
    return out;
}

} // namespace garland
