#include "io/usd/stage_clips.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// The last entry not after the time; of several on one time the last. 0 before the first.
std::size_t entry_at(const std::vector<std::pair<double, double>>& list, double time) {
    const auto after =
        std::upper_bound(list.begin(), list.end(), time, [](double t, const auto& e) { return t < e.first; });
    return after == list.begin() ? 0 : static_cast<std::size_t>(after - list.begin()) - 1;
}

// "./flag.###.usdc" with a number in place of the signs: "#.#" means whole and fraction.
std::string filled(const std::string& pattern, double number) {
    const std::size_t from = pattern.find('#');
    if (from == pattern.npos) return pattern;
    std::size_t to = from;
    while (to < pattern.size() && pattern[to] == '#') ++to;
    std::size_t fraction = to;
    if (to + 1 < pattern.size() && pattern[to] == '.' && pattern[to + 1] == '#') {
        for (++fraction; fraction < pattern.size() && pattern[fraction] == '#';) ++fraction;
    }
    const auto digits = static_cast<int>(fraction > to ? fraction - to - 1 : 0);
    const auto width = static_cast<int>(to - from) + (digits > 0 ? digits + 1 : 0);
    return pattern.substr(0, from) + fmt::format("{:0{}.{}f}", number, width, digits) + pattern.substr(fraction);
}

// Explicit entries of a set that has a pattern, as the specification derives them.
void spell_out(UsdClipSet& set) {
    if (set.pattern.empty() || !(set.stride > 0) || !(set.last >= set.first)) return;
    if ((set.last - set.first) / set.stride > static_cast<double>(usd_file_limit)) return;
    set.assets.clear(), set.active.clear(), set.times.clear();
    for (int i = 0;; ++i) {
        const double t = set.first + i * set.stride;
        if (t > set.last + set.stride * 1e-9) break;
        set.active.emplace_back(t + set.active_offset, i);
        set.times.emplace_back(t, t);
        set.assets.push_back(filled(set.pattern, t));
    }
    if (set.active_offset != 0 && !set.times.empty()) { // ends held within the first and the last clip
        const double before = set.times.front().first - std::abs(set.active_offset),
                     after = set.times.back().first + std::abs(set.active_offset);
        set.times.insert(set.times.begin(), {before, before});
        set.times.emplace_back(after, after);
    }
}

const UsdProperty* property_of(const UsdLayer& layer, const std::string& prim, std::string_view name) {
    const UsdSpec* spec = layer.spec(prim);
    return spec ? spec->find(name) : nullptr;
}

} // namespace

std::size_t UsdClips::file_at(double time) const {
    if (active.empty()) return files.size();
    const double index = active[entry_at(active, time)].second;
    return index >= 0 ? static_cast<std::size_t>(index) : files.size();
}

double UsdClips::clip_time(double time) const {
    if (times.empty()) return time;
    const std::size_t i = entry_at(times, time);
    const auto& [t, c] = times[i];
    if (time <= t || i + 1 == times.size()) return c;
    const auto& [t2, c2] = times[i + 1];
    return t2 > t ? c + (c2 - c) * (time - t) / (t2 - t) : c;
}

void UsdClips::find_sample_times() {
    std::set<double> out;
    for (const auto& [t, c] : times) out.insert(t);
    for (const auto& [t, i] : active) out.insert(t);
    // A sample of a clip, where its piece of the clock passes it.
    for (std::size_t i = 0; i + 1 < std::max<std::size_t>(times.size(), 1); ++i) {
        const auto [t, c] = times[i];
        const auto [t2, c2] = times[i + 1];
        if (!(t2 > t) || c == c2) continue;
        const std::size_t f = file_at(t);
        if (f >= files.size() || !files[f].property || files[f].property->samples.empty()) continue;
        for (const double s : *files[f].property->samples.times) {
            const double w = (s - c) / (c2 - c);
            if (w > 0 && w < 1) out.insert(t + (t2 - t) * w);
        }
    }
    if (times.empty()) {
        for (const File& f : files) {
            if (f.property && !f.property->samples.empty())
                out.insert(f.property->samples.times->begin(), f.property->samples.times->end());
        }
    }
    sample_times.assign(out.begin(), out.end());
}

std::optional<UsdClips::Over> UsdClips::over(double time) const {
    const auto after = std::upper_bound(sample_times.begin(), sample_times.end(), time);
    if (after == sample_times.begin() || after == sample_times.end() || *(after - 1) == time) return {};
    const double lower = *(after - 1), upper = *after;
    if (file_at(upper) == file_at(time)) return {};
    // Two entries on one time: the first one is where the file before ends by itself.
    const auto [from, to] = std::equal_range(times.begin(), times.end(), std::pair(upper, 0.0),
                                             [](const auto& a, const auto& b) { return a.first < b.first; });
    if (to - from > 1) return {};
    return Over{lower, upper, (time - lower) / (upper - lower)};
}

std::shared_ptr<const UsdClipFiles> open_clips(UsdFiles& files, const UsdLayer& said, const UsdClipSet& asked,
                                               double offset, double scale, std::string& wrong) {
    UsdClipSet set = asked;
    spell_out(set);
    if (set.assets.empty() || set.prim.empty() || set.active.empty()) return nullptr;
    auto out = std::make_shared<UsdClipFiles>();
    out->prim = set.prim;
    std::size_t missing = 0;
    for (const std::string& asset : set.assets) {
        auto layer = files.open_from(said, asset);
        if (!layer && missing++ == 0)
            wrong = fmt::format("the clip {} could not be read: {}", asset, describe(layer.error()));
        out->clock.files.push_back({layer ? *layer : nullptr, nullptr});
    }
    if (missing > 1) wrong += fmt::format(" (and {} more)", missing - 1);
    if (!set.manifest.empty()) {
        auto manifest = files.open_from(said, set.manifest);
        if (manifest) out->manifest = *manifest;
    }
    auto in_stage = [&](std::vector<std::pair<double, double>> list) {
        for (auto& [t, v] : list) t = offset + scale * t;
        std::stable_sort(list.begin(), list.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        return list;
    };
    out->clock.active = in_stage(set.active), out->clock.times = in_stage(set.times);
    return out;
}

bool UsdClipBinding::has(std::string_view path, std::string_view attribute) const {
    if (!path.starts_with(prim) || (path.size() > prim.size() && path[prim.size()] != '/')) return false;
    const std::string there = clips->prim + std::string(path.substr(prim.size()));
    if (clips->manifest) return property_of(*clips->manifest, there, attribute) != nullptr;
    return std::any_of(clips->clock.files.begin(), clips->clock.files.end(), [&](const UsdClips::File& f) {
        const UsdProperty* q = f.layer ? property_of(*f.layer, there, attribute) : nullptr;
        return q && !q->samples.empty();
    });
}

std::shared_ptr<const UsdClips> UsdClipBinding::values(std::string_view path, std::string_view attribute) const {
    const std::string there = clips->prim + std::string(path.substr(prim.size()));
    auto out = std::make_shared<UsdClips>(clips->clock);
    bool some = false;
    for (UsdClips::File& f : out->files) {
        if (!f.layer) continue;
        f.property = property_of(*f.layer, there, attribute);
        if (f.property && f.property->samples.empty()) f.property = nullptr; // clips have samples, no defaults
        some |= f.property != nullptr;
    }
    // A clip without samples of it: the manifest's own value, where it has one.
    if (clips->manifest) {
        const UsdProperty* usual = property_of(*clips->manifest, there, attribute);
        for (UsdClips::File& f : out->files) {
            if (f.property || !usual || !usual->has_value) continue;
            f.layer = clips->manifest, f.property = usual;
            some = true;
        }
    }
    if (!some) return nullptr;
    out->find_sample_times();
    return out;
}

} // namespace garland
