// Every test case registers itself; support/main.cpp runs them all and says at the end how many functions ran.
#pragma once

#include <QtTest/QtTest>

namespace garland::testing {

using MakeCase = QObject* (*)();
bool add_case(MakeCase make);

} // namespace garland::testing

#define GARLAND_TEST_CASE(Class)                                                                                       \
    static const bool registered_##Class = garland::testing::add_case([]() -> QObject* { return new Class; });
