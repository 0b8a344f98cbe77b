// Arrangements and their spreads as the project file has them.
#pragma once

#include "core/copies/arrangement.h"
#include "io/files/json_part.h"

namespace garland {

Json arrangement_json(const Arrangement& arrangement);
Arrangement read_arrangement(const JsonPart& part); // complains as JsonPart does

// The words of the project file, which the command line takes too.
inline const Word<ArrangementKind> kind_words[] = {
    {"line", ArrangementKind::line},       {"grid", ArrangementKind::grid},    {"box", ArrangementKind::box},
    {"ring", ArrangementKind::ring},       {"rings", ArrangementKind::rings},  {"curve", ArrangementKind::curve},
    {"scatter", ArrangementKind::scatter}, {"points", ArrangementKind::points}};
inline const Word<Facing> facing_words[] = {{"fixed", Facing::fixed},     {"along", Facing::along},
                                            {"outward", Facing::outward}, {"velocity", Facing::velocity},
                                            {"target", Facing::target},   {"carrier", Facing::carrier}};
inline const Word<OrderBy> order_words[] = {{"along", OrderBy::along},
                                            {"x", OrderBy::x},
                                            {"y", OrderBy::y},
                                            {"z", OrderBy::z},
                                            {"distance", OrderBy::distance},
                                            {"random", OrderBy::random},
                                            {"attribute", OrderBy::attribute}};
inline const Word<StartKind> start_words[] = {{"with the shot", StartKind::with_shot},
                                              {"at birth", StartKind::at_birth},
                                              {"at a frame", StartKind::at_frame},
                                              {"together", StartKind::together}};
inline const Word<Target> target_words[] = {{"delay", Target::delay},
                                            {"speed", Target::speed},
                                            {"visibility", Target::visibility},
                                            {"size", Target::size},
                                            {"turn", Target::turn},
                                            {"variant", Target::variant},
                                            {"wobble strength", Target::wobble},
                                            {"wobble amount", Target::wobble}}; // as earlier files have it
inline const Word<Driver> driver_words[] = {{"chance", Driver::chance},
                                            {"order, per step", Driver::order_step},
                                            {"order, in total", Driver::order_total},
                                            {"order, on a loop", Driver::order_loop},
                                            {"even, by order", Driver::even},
                                            {"even, over space", Driver::even_space},
                                            {"noise", Driver::noise},
                                            {"gradient", Driver::gradient},
                                            {"distance", Driver::distance},
                                            {"attribute", Driver::attribute},
                                            {"zone", Driver::zone},
                                            {"sound", Driver::sound}};

} // namespace garland
