// What Check found as one HTML page that needs nothing else: words, numbers, and pictures in which the copies meant
// stand out.
#pragma once

#include "core/project/findings.h"
#include "render/look.h"

#include <string>

namespace garland {

struct ReportLook {
    int pictures = 12; // of the first findings; 0: none
    int width = 480, height = 270, samples = 8;
};
// Errors: those of reading; cancelled.
Result<std::string> html_report(const Report& report, const Show& show, const Project& project,
                                const ReportLook& look = {}, Progress& progress = Progress::none());

} // namespace garland
