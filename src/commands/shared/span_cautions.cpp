// span_cautions.cpp: see span_cautions.h.
#include "commands/shared/span_cautions.h"

#include <algorithm>

#include "base/text.h"

namespace vprism {

std::vector<Caution> span_cautions(const AnalysisSettings& settings, const Recording& recording) {
  std::vector<Caution> out;
  const double half = recording.axis.rate_hz() / 2;
  for (std::size_t c = 0; c < recording.channels.size() && half > 0; ++c) {
    const SpanRule* const rule = settings.span_of(recording, c);
    if (rule == nullptr) continue;
    const double middle = recording.complex ? recording.channels[c].carrier_hz : 0;
    const double top = middle + half, bottom = recording.complex ? middle - half : 0;
    const bool above = rule->range.high && *rule->range.high > top * (1 + 1e-9),
               below = recording.complex && rule->range.low && *rule->range.low < bottom - 1e-9 * half;
    if (!above && !below) continue;
    Caution caution{"span-beyond", Severity::warning, recording.channels[c].name,
                    "the span reaches " +
                        (above ? "up to " + format_quantity(*rule->range.high, "Hz", 6)
                               : "down to " + format_quantity(*rule->range.low, "Hz", 6)) +
                        "; the record goes to " + format_quantity(above ? top : bottom, "Hz", 6) +
                        (recording.complex ? "" : ", half its rate") + ": what lies beyond is not seen",
                    "record faster to see more, or ask for less"};
    // Of channels that have it alike it is said once.
    const auto same =
        std::find_if(out.begin(), out.end(), [&](const Caution& o) { return o.text == caution.text; });
    if (same == out.end())
      out.push_back(std::move(caution));
    else
      same->channel.clear();
  }
  return out;
}

}  // namespace vprism
