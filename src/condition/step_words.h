// step_words.h: the words after a step's name, taken one by one by the stage that is made from them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units/quantity.h"

namespace vprism {

/// Values stand in order ("15Hz"); keyed values may stand anywhere after the step's name ("order 4"), as may
/// flags ("zero-phase"). All throw Error(usage). `done` is called last and refuses what nobody took.
class StepWords {
 public:
  /// `example` is shown in errors. `keywords` are the step's own words: a word behind a number that is none
  /// of them is the number's unit ("15 Hz").
  StepWords(std::vector<std::string> words, std::vector<std::string> keywords, std::string example);

  /// The next value in order; the error names the example.
  std::string value();
  /// The next word, which must be one of those.
  std::string value_of(const std::vector<std::string>& known, const char* what);
  /// The next value in order when there is one.
  std::optional<std::string> next();
  /// What follows the word `key`.
  std::optional<std::string> keyed(std::string_view key);
  bool flag(std::string_view word);
  /// One of the words given, if there is one. More than one is an error.
  std::optional<std::string> one_of(const std::vector<std::string>& words);
  /// `keyed` as a whole number from `least` to `most`.
  std::optional<int> keyed_whole(std::string_view key, int least, int most);
  void done() const;
  const std::string& example() const { return example_; }

 private:
  bool is_keyword(std::string_view word) const;
  std::vector<std::string> words_, keywords_;
  std::string example_;
};

/// A number without a unit. Throws Error(usage).
double plain_number(const std::string& text);

}  // namespace vprism
