// base64.h: bytes as text (RFC 4648), for pictures within pages and numbers within JSON.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

std::string to_base64(std::string_view bytes);
/// Throws Error(input) where it is no base64.
std::string from_base64(std::string_view text);

}  // namespace vprism
