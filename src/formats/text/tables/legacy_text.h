// legacy_text.h: text in codings from before UTF-8: which one it is, by what its bytes allow.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// UTF-8 of text in Shift-JIS, GBK or Windows-1251 where its bytes speak for one of them, else of
/// Windows-1252. A short text may be taken for another than it is: numbers are the same in all of them.
std::string utf8_from_legacy(std::string_view text);

}  // namespace vprism
