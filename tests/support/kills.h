// A program of the tests that is there to be killed; see app/kill_test.cpp.
#pragma once

#include <QString>

namespace garland::testing {

int edit_until_killed(const QString& folder); // never comes back by itself, but with an error

} // namespace garland::testing
