// legacy_text.h: text in codings from before UTF-8: which one it is, by what its bytes allow.
#pragma once

#include <string>
#include <string_view>

namespace vprism {

/// UTF-8 of text in Shift-JIS, GBK or Windows-1251 where its bytes speak for one of them, else of
/// Windows-1252. A short text may be taken for another than it is: numbers are the same in all of them.
std::string utf8_from_legacy(std::string_view text);

/// While it lives, this thread takes legacy text for what all of `text` speaks for, where that is plain: a
/// cell of one letter says nothing by itself.
class LegacyCodingOf {
 public:
  explicit LegacyCodingOf(std::string_view text);
  /// As that one took it; null takes each text by itself.
  explicit LegacyCodingOf(const char* coding);
  const char* coding() const;
  ~LegacyCodingOf();
  LegacyCodingOf(const LegacyCodingOf&) = delete;
  LegacyCodingOf& operator=(const LegacyCodingOf&) = delete;

 private:
  const char* before_;
};

}  // namespace vprism
