// join_alike.cpp: see join_alike.h.
#include "signal/join_alike.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

void require_alike(JoinedSources& sources, bool stamps) {
  for (auto& source : sources) source->resolve();
  const Recording& first = sources.front()->recording();
  for (const auto& source : sources) {
    const Recording& r = source->recording();
    const auto refuse = [&](const std::string& why) {
      throw Error(Status::analysis, r.file + ": can't be joined with " + first.file + ": " + why);
    };
    if (r.axis.domain != first.axis.domain) refuse("its axis is of another kind");
    if (r.complex != first.complex) refuse("one is complex, the other is not");
    if (stamps) continue;
    if (r.axis.stamped)
      refuse(
          "its samples are not evenly spaced; put each on a grid first, with convert --chain 'regrid RATE'");
    if (std::abs(r.axis.interval - first.axis.interval) > 1e-6 * first.axis.interval)
      refuse("its rate is " + (r.axis.interval > 0 ? format_quantity(r.axis.rate_hz(), "Hz", 9) : "unknown") +
             ", the other's " +
             (first.axis.interval > 0 ? format_quantity(first.axis.rate_hz(), "Hz", 9) : "unknown"));
  }
}

void gather_cautions(const JoinedSources& sources, Recording& joined) {
  joined.cautions.clear();
  for (const auto& source : sources)
    for (Caution caution : source->recording().cautions) {
      caution.text = source->recording().stem() + ": " + caution.text;
      joined.cautions.push_back(std::move(caution));
    }
}

JoinedStarts starts_of(const JoinedSources& sources) {
  JoinedStarts out;
  out.dated = std::all_of(sources.begin(), sources.end(),
                          [](const auto& s) { return s->recording().zero_ns.has_value(); });
  const std::int64_t zero = sources.front()->recording().zero_ns.value_or(0);
  for (const auto& source : sources) {
    const Recording& r = source->recording();
    out.at_s.push_back(r.axis.start + (out.dated ? seconds_between(zero, *r.zero_ns) : 0));
  }
  return out;
}

std::string span_of_samples(double samples, double interval_s) {
  return format_quantity(std::abs(samples) * interval_s, "s", 4) + " (" +
         format_number(std::abs(samples), 4) + " samples)";
}

}  // namespace vprism
