// warnings.cpp: what a reader of a response is to know before he trusts it.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "commands/response/response.h"

namespace vprism {

namespace {

Caution caution(const char* code, Severity severity, std::string text, std::string remedy) {
  return {code, severity, "", std::move(text), std::move(remedy)};
}

}  // namespace

void warn_of_response(ResponseResult& result) {
  std::vector<Caution>& out = result.facts.recording.cautions;
  const ResponseSet& set = result.set;
  if (result.blows) {
    std::string lost;
    std::size_t count = 0;
    for (std::size_t b = 0; b < result.blows->blows.size(); ++b) {
      const Blow& blow = result.blows->blows[b];
      if (blow.rejected.empty()) continue;
      ++count;
      lost += (lost.empty() ? "" : "; ") +
              fmt::format("blow {} at {} s ({})", b + 1,
                          format_number(
                              result.recording.axis.start + static_cast<double>(blow.start) / set.rate_hz, 5),
                          blow.rejected);
    }
    if (count > 0)
      out.push_back(caution("blows-left-out", Severity::warning,
                            fmt::format("{} of {} blows {} left out: {}", count, result.blows->blows.size(),
                                        count == 1 ? "is" : "are", lost),
                            "repeat them, or keep double hits with --double-hits keep"));
    if (result.blows->left > 0.01 && result.blows->decayed_to == 1)
      out.push_back(caution(
          "ringing-cut", Severity::warning,
          fmt::format("responses still ring at {:.2g}% when their segment ends", 100 * result.blows->left),
          "take longer segments, or let an exponential window end them: --decay-to 1%"));
  }
  if (set.averages == 1 && result.excitation.kind != Excitation::impulse)
    out.push_back(caution("one-average", Severity::note,
                          "from one average, coherence and random error can't be estimated",
                          "repeat the excitation, or take shorter segments"));
  else if (set.independent < 4 + static_cast<double>(set.references.size()) && set.averages > 1)
    out.push_back(caution("few-averages", Severity::note,
                          fmt::format("{:.1f} independent averages: coherence below {:.2f} may be chance",
                                      set.independent, set.significant()),
                          "take more averages or shorter segments"));
  std::size_t dark = 0, weak = 0, all = 0;
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k) {
    if (set.frequency_hz[k] < result.low_hz || set.frequency_hz[k] > result.high_hz) continue;
    ++all;
    if (!set.driven[k]) ++dark;
    bool any = false;
    for (const ResponseCurve& curve : set.curves) any = any || result.known(curve, k);
    if (!any) ++weak;
  }
  if (dark > 0)
    out.push_back(
        caution("reference-silent", Severity::warning,
                fmt::format("in {} of {} bins the reference{} no energy of {} own: no ratio is given there",
                            dark, all, set.references.size() > 1 ? "s have" : " has",
                            set.references.size() > 1 ? "their" : "its"),
                "drive the structure over the whole band, or narrow it with --span"));
  if (all > 0 && weak - dark > all / 2)
    out.push_back(caution(
        "little-coherence", Severity::warning,
        fmt::format("in {} of {} bins no channel goes with the reference beyond chance (coherence {:.2f})",
                    weak, all, set.significant()),
        "what drives the structure there is something else; see --output-only"));
  std::string narrow;
  std::string flat;
  for (const KnownMode& m : result.modes) {
    std::string& names = m.record_bins > 0 ? flat : narrow;
    if (m.narrow) names += (names.empty() ? "" : ", ") + format_quantity(m.mode.frequency_hz, "Hz", 4);
  }
  if (!flat.empty())
    out.push_back(
        caution("peak-flattened", Severity::note,
                fmt::format("{}: less than four RBW ({}) wide: the curve's top, its magnitude and the "
                            "residue read too low; frequency and damping are those of the whole record",
                            flat, format_quantity(set.rbw_hz, "Hz", 3)),
                "take longer segments for the curve: --resolution or --segment"));
  if (!narrow.empty())
    out.push_back(caution(
        "resolution-coarse", Severity::warning,
        fmt::format("{}: less than four RBW ({}) wide, so that the window makes the damping look larger",
                    narrow, format_quantity(set.rbw_hz, "Hz", 3)),
        "take longer segments: --resolution or --segment"));
}

}  // namespace vprism
