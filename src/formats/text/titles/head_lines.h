// head_lines.h: the lines above the rows of a text table, which may come again between them.
#pragma once

#include <array>
#include <set>
#include <string>
#include <string_view>

namespace vprism {

/// Lines are the same that differ in their numbers alone: "Page 12" is "Page 1". Those that begin as a row of
/// numbers does, or have no letter, are none, but for rules across the page.
class HeadLines {
 public:
  void add(std::string_view line);
  /// Quick for rows: nearly all have another length.
  bool has(std::string_view line) const;

 private:
  static constexpr std::size_t longest = 400;
  std::set<std::string> lines_;
  std::array<bool, longest + 1> sizes_{};  ///< Which lengths there are.
};

}  // namespace vprism
