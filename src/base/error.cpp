// error.cpp: suggestions for misspelt names, by the Damerau-Levenshtein distance (optimal string alignment).
#include "base/error.h"

#include <algorithm>

#include "base/text.h"

namespace vprism {

std::size_t edit_distance(std::string_view a, std::string_view b) {
  const std::size_t width = b.size() + 1;
  std::vector<std::size_t> d((a.size() + 1) * width);
  const auto at = [&](std::size_t i, std::size_t j) -> std::size_t& { return d[i * width + j]; };
  for (std::size_t i = 0; i <= a.size(); ++i) at(i, 0) = i;
  for (std::size_t j = 0; j <= b.size(); ++j) at(0, j) = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t replace = at(i - 1, j - 1) + (a[i - 1] == b[j - 1] ? 0 : 1);
      at(i, j) = std::min({at(i - 1, j) + 1, at(i, j - 1) + 1, replace});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        at(i, j) = std::min(at(i, j), at(i - 2, j - 2) + 1);
    }
  }
  return at(a.size(), b.size());
}

std::string nearest_name(std::string_view wrong, const std::vector<std::string>& known) {
  std::string best;
  std::size_t best_distance = std::max<std::size_t>(1, wrong.size() / 3) + 1;
  const std::string folded = lower_case(wrong);
  for (const std::string& name : known) {
    std::size_t distance = edit_distance(folded, lower_case(name));
    const bool extends = folded.size() >= 3 && (name.rfind(folded, 0) == 0 || folded.rfind(name, 0) == 0);
    if (extends) distance = std::min<std::size_t>(distance, 1);
    if (distance < best_distance) {
      best_distance = distance;
      best = name;
    }
  }
  return best;
}

std::string unknown_name(std::string_view what, std::string_view wrong,
                         const std::vector<std::string>& known) {
  std::string line = "unknown " + std::string(what) + " \"" + clean_text(wrong) + "\"";
  const std::string near = nearest_name(wrong, known);
  if (!near.empty()) line += "; did you mean \"" + near + "\"?";
  line += near.empty() ? "; known: " : " Known: ";
  constexpr std::size_t most = 40;
  for (std::size_t i = 0; i < known.size() && i < most; ++i) line += (i == 0 ? "" : ", ") + known[i];
  if (known.size() > most) line += ", ...";
  return line;
}

}  // namespace vprism
