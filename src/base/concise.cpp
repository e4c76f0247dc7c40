// concise.cpp: see concise.h.
#include "base/concise.h"

#include <algorithm>

#include "base/text.h"

namespace vprism {

std::string format_concise(double value, double uncertainty, std::string_view unit) {
  const std::string both = format_uncertain(value, uncertainty, unit);
  constexpr std::string_view sign = " \u00b1 ";
  const std::size_t at = both.find(sign);
  if (at == std::string::npos) return both;
  const std::size_t end = std::min(both.find(' ', at + sign.size()), both.size());
  const std::string number = both.substr(0, at);
  std::string digits = both.substr(at + sign.size(), end - at - sign.size());
  // In another form (1e-9) there are no last places.
  if (digits.find('e') != std::string::npos || number.find('e') != std::string::npos) return both;
  if (digits.rfind("0.", 0) == 0) {
    digits.erase(0, 2);
    digits.erase(0, digits.find_first_not_of('0'));
  }
  return number + "(" + digits + ")" + both.substr(end);
}

}  // namespace vprism
