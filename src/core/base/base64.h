// Base64 (RFC 4648, section 4).
#pragma once

#include <string>
#include <string_view>

namespace garland {

std::string base64(std::string_view bytes);

} // namespace garland
