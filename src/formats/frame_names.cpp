// frame_names.cpp: see frame_names.h.
#include "formats/frame_names.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

bool frame_digit(char c) { return c >= '0' && c <= '9'; }

/// A name with a sign in place of each number, and the numbers. "t0.0100" has one number, "a1.csv" has one.
struct NumberedName {
  std::string likeness, path;
  std::vector<std::string> numbers;
};

NumberedName numbered(const std::string& path) {
  NumberedName out;
  out.path = path;
  const std::string name = std::filesystem::path(path).stem().string();
  for (std::size_t i = 0; i < name.size();) {
    if (!frame_digit(name[i])) {
      out.likeness += name[i++];
      continue;
    }
    const std::size_t from = i;
    while (i < name.size() && i < from + 15 && frame_digit(name[i])) ++i;
    if (i + 1 < name.size() && name[i] == '.' && frame_digit(name[i + 1])) {
      ++i;
      while (i < name.size() && i < from + 20 && frame_digit(name[i])) ++i;
    }
    out.numbers.push_back(name.substr(from, i - from));
    out.likeness += '\x01';
  }
  out.likeness += std::filesystem::path(path).extension().string();
  return out;
}

/// What stands before a number in names of a likeness: "cam" of "frame_\1_cam\1".
std::string word_before(const std::string& likeness, std::size_t number) {
  std::size_t at = 0;
  for (std::size_t n = 0;; ++n) {
    at = likeness.find('\x01', n == 0 ? 0 : at + 1);
    if (at == std::string::npos || n == number) break;
  }
  if (at == std::string::npos) return "";
  std::size_t from = at;
  const auto letter = [](char c) { return (c | 32) >= 'a' && (c | 32) <= 'z'; };
  while (from > 0 && !letter(likeness[from - 1]) && likeness[from - 1] != '\x01') --from;
  const std::size_t end = from;
  while (from > 0 && letter(likeness[from - 1])) --from;
  return likeness.substr(from, end - from);
}

/// Whatever the locale.
double number_of(const std::string& digits) {
  double out = 0;
  std::from_chars(digits.data(), digits.data() + digits.size(), out);
  return out;
}

double usual_step(const std::vector<FrameFile>& files) {
  std::vector<double> steps;
  for (std::size_t i = 1; i < files.size(); ++i)
    if (const double step = files[i].number - files[i - 1].number; step > 0) steps.push_back(step);
  if (steps.empty()) return 1;
  // The one that most agree with, within the digits that names have.
  std::sort(steps.begin(), steps.end());
  double best = steps.front();
  std::size_t most = 0;
  for (std::size_t from = 0; from < steps.size();) {
    std::size_t to = from;
    while (to < steps.size() && steps[to] <= steps[from] * (1 + 1e-6) + 1e-12) ++to;
    if (to - from > most) most = to - from, best = steps[from];
    from = to;
  }
  return best;
}

double share_of_usual_step(const std::set<std::string>& values) {
  std::vector<FrameFile> files;
  for (const std::string& digits : values) files.push_back({number_of(digits), ""});
  std::sort(files.begin(), files.end(),
            [](const FrameFile& a, const FrameFile& b) { return a.number < b.number; });
  const double step = usual_step(files);
  std::size_t usual = 0;
  for (std::size_t i = 1; i < files.size(); ++i)
    usual += std::abs(files[i].number - files[i - 1].number - step) <= 1e-6 * step ? 1 : 0;
  return files.size() < 2 ? 0 : static_cast<double>(usual) / static_cast<double>(files.size() - 1);
}

}  // namespace

FrameSeries frame_series(const std::string& folder, const std::vector<std::string>& paths,
                         const std::string& asked) {
  std::map<std::string, std::vector<NumberedName>> alike;
  for (const std::string& path : paths)
    if (NumberedName name = numbered(path); !name.numbers.empty())
      alike[name.likeness].push_back(std::move(name));
  const auto largest = std::max_element(alike.begin(), alike.end(), [](const auto& a, const auto& b) {
    return a.second.size() < b.second.size();
  });
  const std::size_t count = largest == alike.end() ? 0 : largest->second.size();
  if (count < 4)
    throw Error(Status::input,
                folder + ": " + std::to_string(count) +
                    " files with a number in their name; a recording of points has one for each "
                    "frame");
  FrameSeries out;
  const std::vector<NumberedName>& names = largest->second;
  std::size_t others = 0;
  for (const auto& [likeness, group] : alike)
    if (likeness != largest->first) others += group.size();
  if (others > 0)
    out.cautions.push_back({"files-left-out", Severity::warning, "",
                            std::to_string(others) + (others == 1 ? " file" : " files") +
                                " with a number in the name, but named otherwise, left out",
                            "put them into a folder of their own"});
  // The number that takes most values; of several, the one whose steps are most even: a time of day goes from
  // 5959 to 10000.
  std::size_t counting = 0, most = 0;
  double evenest = -1;
  std::vector<std::set<std::string>> values(names.front().numbers.size());
  for (const NumberedName& name : names)
    for (std::size_t k = 0; k < values.size(); ++k) values[k].insert(name.numbers[k]);
  for (std::size_t k = 0; k < values.size(); ++k) {
    if (values[k].size() < most) continue;
    const double even = share_of_usual_step(values[k]);
    if (values[k].size() > most || even > evenest) counting = k, evenest = even;
    most = values[k].size();
  }
  // What else changes tells recordings apart, unless it goes with the count (a time stamp, a second count).
  std::map<std::string, std::vector<const NumberedName*>> recordings;
  std::size_t delivery = values.size();
  if (most < names.size())
    for (std::size_t k = 0; k < values.size(); ++k)
      if (k != counting && values[k].size() > 1 &&
          (delivery == values.size() || values[k].size() < values[delivery].size()))
        delivery = k;
  for (const NumberedName& name : names)
    recordings[delivery < values.size() ? name.numbers[delivery] : ""].push_back(&name);
  if (recordings.size() > 1) {
    const std::string word = word_before(largest->first, delivery);
    for (const auto& [value, files] : recordings)
      out.parts.push_back(
          {(word.empty() ? "" : word + " ") + value, std::to_string(files.size()) + " frames"});
    std::vector<std::string> known;
    bool found = asked.empty();
    for (std::size_t p = 0; p < out.parts.size(); ++p) {
      known.push_back(out.parts[p].name);
      if (asked == out.parts[p].name || asked == std::to_string(p + 1)) out.part = p, found = true;
    }
    if (!found) throw Error(Status::usage, "--part: " + folder + ": " + unknown_name("part", asked, known));
    if (asked.empty())
      out.cautions.push_back({"tables", Severity::warning, "",
                              "the names hold " + std::to_string(out.parts.size()) + " recordings (" +
                                  known.front() + " to " + known.back() + "); the first is taken",
                              "choose another with --part"});
  } else if (!asked.empty()) {
    throw Error(Status::usage,
                "--part " + clean_text(asked) + ": " + folder + " holds one recording; leave it out");
  }
  auto chosen = recordings.begin();
  std::advance(chosen, static_cast<std::ptrdiff_t>(out.part));
  for (const NumberedName* name : chosen->second)
    out.files.push_back({number_of(name->numbers[counting]), name->path});
  std::sort(out.files.begin(), out.files.end(), [](const FrameFile& a, const FrameFile& b) {
    return a.number != b.number ? a.number < b.number : a.path < b.path;
  });
  out.step = usual_step(out.files);
  const double span = std::round((out.files.back().number - out.files.front().number) / out.step) + 1;
  if (span > 4 * static_cast<double>(out.files.size()) + 64)
    throw Error(Status::input, folder + ": the numbers in the files' names run from " +
                                   format_number(out.files.front().number, 12) + " to " +
                                   format_number(out.files.back().number, 12) + " for " +
                                   std::to_string(out.files.size()) +
                                   " files; put the frames of one recording into the folder");
  for (std::size_t i = 1; i < out.files.size(); ++i) {
    const double steps = (out.files[i].number - out.files[i - 1].number) / out.step;
    if (steps > 0.5) continue;
    throw Error(Status::input, out.files[i].path + ": the frame " + format_number(out.files[i].number, 12) +
                                   " is there twice; put the frames of one recording into the folder");
  }
  out.frames = static_cast<std::int64_t>(span);
  if (values.size() > 1) {
    const std::string word = word_before(largest->first, counting);
    out.cautions.push_back({"frame-number", Severity::note, "",
                            "of the numbers in the names, the one " +
                                (word.empty() ? "in place " + std::to_string(counting + 1)
                                              : "behind \"" + clean_text(word) + "\"") +
                                " counts the frames: " + format_number(out.files.front().number, 12) +
                                " to " + format_number(out.files.back().number, 12),
                            ""});
  }
  return out;
}

}  // namespace vprism
