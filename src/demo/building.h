// What demo projects are put together from.
#pragma once

#include "core/project/project.h"

namespace garland {

inline Spread& add_spread(Project& p, Arrangement& a, Target target, Driver driver, double from, double to) {
    Spread s;
    s.id = SpreadId(p.next_id++);
    s.target = target;
    s.by.kind = driver;
    s.from = from;
    s.to = to;
    a.spreads.push_back(s);
    return a.spreads.back();
}

inline Arrangement& arrange(Project& p, SourceId source, TimingId timing, const char* name) {
    Arrangement a;
    a.id = ArrangementId(p.next_id++);
    a.name = name;
    a.source = source;
    a.timing = timing;
    p.arrangements.push_back(a);
    return p.arrangements.back();
}

} // namespace garland
