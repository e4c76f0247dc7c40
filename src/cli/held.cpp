// held.cpp: see held.h.
#include "cli/held.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"

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
  if (gaps) throw Error(Status::analysis, r.file + ": samples are missing; gate to a stretch without gaps");
  held.facts = input.facts();
  if (r.samples > most)
    held.facts.recording.cautions.push_back(
        {"record-cut", Severity::warning, "",
         fmt::format("only the first {} of {} samples are looked at", most, r.samples),
         "gate to the part that matters"});
  held.recording.samples = static_cast<std::int64_t>(held.columns[0].size());
  return held;
}

}  // namespace vprism
