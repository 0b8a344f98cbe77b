#include "core/time/keyed_curve.h"

#include "core/base/cubic.h"
#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(std::span<const CurveKey> keys, std::string_view what, const CurveLimits& l) {
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const CurveKey& k = keys[i];
        auto wrong = [&](std::string_view how) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("key {} of {} {}", i + 1, what, how)}.advise("change that key"));
        };
        if (!std::isfinite(k.at) || !std::isfinite(k.value)) return wrong("has a value that is not a number");
        if (k.at < l.first_at || k.at > l.last_at)
            return wrong(fmt::format("stands outside {} to {}", short_number(l.first_at), short_number(l.last_at)));
        if (k.value < l.low || k.value > l.high)
            return wrong(fmt::format("is outside {} to {}", short_number(l.low), short_number(l.high)));
        if (k.toward == Toward::free || k.toward == Toward::hidden) return wrong("can only be step, linear or smooth");
        if (i > 0 && k.at <= keys[i - 1].at) return wrong("does not come after the one before it");
    }
    return {};
}

CurvePlan::CurvePlan(const KeyedCurve& keys, double still) : still_(still), keys_(keys) {
    double sum = 0;
    for (std::size_t i = 0; i < keys_.size(); ++i) {
        sums_.push_back(sum);
        if (i + 1 == keys_.size()) break;
        const double wide = keys_[i + 1].at - keys_[i].at;
        // The middle of a straight way is also the mean of an eased one.
        sum += wide * (keys_[i].toward == Toward::step ? keys_[i].value : (keys_[i].value + keys_[i + 1].value) / 2);
    }
}

std::size_t CurvePlan::before(double x) const {
    const auto after =
        std::upper_bound(keys_.begin(), keys_.end(), x, [](double v, const CurveKey& k) { return v < k.at; });
    return after == keys_.begin() ? 0 : static_cast<std::size_t>(after - keys_.begin()) - 1;
}

double CurvePlan::at(double x) const {
    if (keys_.empty()) return still_;
    const std::size_t i = before(x);
    const CurveKey& a = keys_[i];
    if (x <= a.at || i + 1 == keys_.size() || a.toward == Toward::step) return a.value;
    const double w = (x - a.at) / (keys_[i + 1].at - a.at);
    return a.value + (keys_[i + 1].value - a.value) * (a.toward == Toward::smooth ? ease(w) : w);
}

double CurvePlan::slope(double x) const {
    if (keys_.empty()) return 0;
    const std::size_t i = before(x);
    const CurveKey& a = keys_[i];
    if (x < a.at || i + 1 == keys_.size() || a.toward == Toward::step) return 0;
    const double wide = keys_[i + 1].at - a.at, w = (x - a.at) / wide;
    return (keys_[i + 1].value - a.value) / wide * (a.toward == Toward::smooth ? ease_slope(w) : 1);
}

double CurvePlan::from_start(double x) const {
    const std::size_t i = before(x);
    const CurveKey& a = keys_[i];
    const double v = x - a.at;
    if (v <= 0 || i + 1 == keys_.size() || a.toward == Toward::step) return sums_[i] + a.value * v;
    const double wide = keys_[i + 1].at - a.at, w = v / wide, rise = keys_[i + 1].value - a.value;
    return sums_[i] + a.value * v + rise * wide * (a.toward == Toward::smooth ? ease_integral(w) : w * w / 2);
}

double CurvePlan::integral(double from, double to) const {
    return keys_.empty() ? still_ * (to - from) : from_start(to) - from_start(from);
}

Result<KeyedCurve> parse_keys(std::string_view text, std::string_view what) {
    KeyedCurve keys;
    auto bad = [&](std::string_view word) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is no key of {}", word, what)}.advise(
            "keys are written \"0:0 smooth 0.5:1 1:0\": place and value, and how it goes on (step, linear, smooth)"));
    };
    while (!text.empty()) {
        const auto end = std::min(text.find(' '), text.size());
        const std::string_view word = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        if (word.empty()) continue;
        if (const auto colon = word.find(':'); colon != word.npos) {
            const auto at = parse_number(word.substr(0, colon)), value = parse_number(word.substr(colon + 1));
            if (!at || !value) return bad(word);
            keys.push_back({*at, *value, Toward::linear});
        } else if (!keys.empty() && (word == "step" || word == "linear" || word == "smooth")) {
            keys.back().toward = word == "step" ? Toward::step : word == "linear" ? Toward::linear : Toward::smooth;
        } else {
            return bad(word);
        }
    }
    return keys;
}

std::string to_text(const KeyedCurve& keys) {
    std::string text;
    for (const CurveKey& k : keys) {
        if (!text.empty()) text += ' ';
        text += exact_number(k.at) + ':' + exact_number(k.value);
        if (k.toward != Toward::linear && &k != &keys.back()) text += k.toward == Toward::step ? " step" : " smooth";
    }
    return text;
}

} // namespace garland
