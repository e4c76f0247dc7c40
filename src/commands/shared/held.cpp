// held.cpp: see held.h.
#include "commands/shared/held.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

Held hold_samples(Input& input, const Progress& progress, std::int64_t most) {
  input.require_even_axis();
  Held held;
  held.recording = input.road().recording();
  const Recording& r = held.recording;
  if (r.complex)
    throw Error(Status::analysis, r.file + ": complex channels can't be taken; see modulation or spectrum");
  held.columns.resize(r.channels.size());
  bool gaps = false;
  input.road().run(
      [&](Block& block) {
        gaps = gaps || block.gaps();
        const auto room = static_cast<std::size_t>(most) - held.columns[0].size();
        for (std::size_t c = 0; c < held.columns.size(); ++c) {
          const auto x = block.samples(c);
          held.columns[c].insert(held.columns[c].end(), x.begin(),
                                 x.begin() + static_cast<std::ptrdiff_t>(std::min(room, x.size())));
        }
      },
      progress);
  if (gaps) refuse_gaps(input);
  held.facts = input.facts();
  if (r.samples > most)
    held.facts.recording.cautions.push_back(
        {"record-cut", Severity::warning, "",
         fmt::format("only the first {} of {} samples are looked at", most, r.samples),
         "gate to the part that matters"});
  held.recording.samples = static_cast<std::int64_t>(held.columns[0].size());
  return held;
}

void refuse_gaps(Input& input) {
  const Recording& r = input.road().recording();
  std::int64_t at = 0, begin = 0, best = 0, length = 0;
  const auto ends_here = [&](std::int64_t end) {
    if (end - begin > length) best = begin, length = end - begin;
    begin = end + 1;
  };
  input.road().run(
      [&](Block& block) {
        for (std::size_t n = 0; n < block.size() && block.gaps(); ++n)
          for (std::size_t c = 0; c < block.columns(); ++c)
            if (std::isnan(block.samples(c)[n])) {
              ends_here(at + static_cast<std::int64_t>(n));
              break;
            }
        at += static_cast<std::int64_t>(block.size());
      },
      {});
  ends_here(at);
  const auto time = [&](std::int64_t n) {
    return format_number(r.axis.start + static_cast<double>(n) * r.axis.interval, 12) + "s";
  };
  throw Error(Status::analysis,
              r.file + ": samples are missing; " +
                  (length == 0 ? std::string("at no time do all channels have one: choose one with --channel")
                               : "the longest stretch without a gap in any channel is --gate " + time(best) +
                                     ".." + time(best + length) +
                                     (r.channels.size() > 1 ? "; or choose one with --channel" : "")));
}

}  // namespace vprism
