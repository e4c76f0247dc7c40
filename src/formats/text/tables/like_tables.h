// like_tables.h: many small text tables of one layout: that of the first is found once.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

struct LikeTable {
  Recording recording;                       ///< Channels and notes.
  std::vector<std::vector<double>> columns;  ///< One for each channel; NaN where a number is missing.
};

/// Reads tables; those that look like the first one up to their rows of numbers are parsed by its layout,
/// others by their own. May be called from several threads.
class LikeTables {
 public:
  /// `settings`: without an axis (`axis` is "none") and with gaps allowed.
  LikeTables(const std::string& first, const ReadSettings& settings);
  ~LikeTables();
  LikeTables(const LikeTables&) = delete;
  LikeTables& operator=(const LikeTables&) = delete;
  /// Throws Error(input).
  LikeTable read(const std::string& path) const;

 private:
  struct Known;
  std::unique_ptr<Known> known_;
  ReadSettings settings_;
};

}  // namespace vprism
