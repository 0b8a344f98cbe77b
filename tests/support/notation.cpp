#include "support/notation.h"

#include "core/base/numbers.h"

#include <QDebug>
#include <cmath>
#include <sstream>

namespace garland::testing {

TimeMap parse_map(const std::string& text) {
    TimeMap map;
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        Key key;
        if (word.back() == '~')
            key.toward = Toward::smooth, word.pop_back();
        else if (word.back() == '|')
            key.toward = Toward::step, word.pop_back();
        const auto colon = word.find(':');
        key.at = OutputFrame(std::stod(word.substr(0, colon)));
        key.source = SourceFrame(std::stod(word.substr(colon + 1)));
        map.keys.push_back(key);
    }
    return map;
}

std::string map_text(const TimeMap& map) {
    std::string text;
    for (const Key& k : map.keys) {
        if (!text.empty()) text += ' ';
        text += short_number(k.at.value) + ":" + short_number(k.source.value);
        if (k.toward == Toward::smooth) text += '~';
        if (k.toward == Toward::step) text += '|';
        if (k.toward == Toward::free) text += '/';
    }
    return text;
}

Timing timing_of(const std::string& map, OutsideMode before, OutsideMode after, int count) {
    Timing t;
    t.id = TimingId(1);
    t.name = "timing";
    t.map = parse_map(map);
    t.before = {before, count};
    t.after = {after, count};
    return t;
}

Timing speeds_of(const std::string& text, double from, OutsideMode before, OutsideMode after) {
    Timing t = timing_of("0:0", before, after);
    t.map = {};
    t.form = TimingForm::speeds;
    t.speeds.from = SourceFrame(from);
    for (const Key& k : parse_map(text).keys) { // a speed stands where a key has its source frame
        t.speeds.keys.push_back({k.at, k.source.value, k.toward});
    }
    return t;
}

Timing phrases_of(const std::string& text, double start, OutsideMode before, OutsideMode after) {
    Timing t = timing_of("0:0", before, after);
    t.map = {};
    t.form = TimingForm::phrases;
    t.phrases.start = OutputFrame(start);
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        Phrase p;
        auto take = [&](char mark) { // the number after a mark, cut off
            const auto at = word.rfind(mark);
            if (at == word.npos) return -1.0;
            const double value = std::stod(word.substr(at + 1));
            word.resize(at);
            return value;
        };
        if (const double v = take('+'); v >= 0) p.fade = v;
        if (const double v = take('@'); v >= 0) p.speed = v;
        if (const double v = take('*'); v >= 0) p.passes = static_cast<std::int64_t>(v);
        const bool folds = word.find("<>") != word.npos;
        const auto mid = word.find(folds ? "<>" : "-");
        double a = std::stod(word.substr(0, mid)), b = std::stod(word.substr(mid + (folds ? 2 : 1)));
        p.direction = folds ? Direction::there_and_back : a > b ? Direction::backward : Direction::forward;
        if (a > b) std::swap(a, b);
        p.first = SourceFrame(a);
        p.last = SourceFrame(b);
        t.phrases.list.push_back(p);
    }
    return t;
}

std::string shown(const Timing& timing, int a, int b) {
    const TimingPlan plan(timing);
    std::string text;
    for (int f = a; f <= b; ++f) {
        const TimingSample s = plan.at(OutputFrame(f));
        if (f > a) text += ' ';
        text += s.absent ? std::string("-") : short_number(s.source);
    }
    return text;
}

double source_at(const Timing& timing, double t) {
    return TimingPlan(timing).at(OutputFrame(t)).source;
}
double slope_at(const Timing& timing, double t) {
    return TimingPlan(timing).at(OutputFrame(t)).slope;
}

SourceClock clock_of_frames(std::int64_t first, std::int64_t last) {
    return make_clock(first, last, first, {24, 1}, Join::by_clock, {24, 1});
}

Pose tetrahedron(double height) {
    const auto h = static_cast<float>(height);
    Pose pose;
    pose.points = {{0, h, 0}, {1, h, 0}, {0, h, 1}, {0, 1 + h, 0}};
    auto faces = std::make_shared<Faces>();
    faces->starts = {0, 3, 6, 9, 12};
    faces->corners = {0, 1, 2, 0, 3, 1, 0, 2, 3, 1, 3, 2};
    pose.faces = faces;
    return pose;
}

bool close(double a, double b, double tolerance) {
    if (std::abs(a - b) <= tolerance) return true;
    qWarning() << "not close:" << QString::number(a, 'g', 17) << QString::number(b, 'g', 17);
    return false;
}

} // namespace garland::testing
