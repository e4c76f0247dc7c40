// relations.cpp: lines that others explain. Frequencies agree when they differ by no more than four joint
// standard uncertainties, or 1e-5 of the frequency; a window wider than a thousandth would let anything in.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/findings/finding.h"

namespace vprism {

namespace {

struct Source {
  double hz = 0, std_hz = 0, rms = 0;
};

std::string listed(const Source& s) { return format_uncertain(s.hz, s.std_hz, "Hz"); }

bool agree(double a, double std_a, double b, double std_b) {
  const double width = std::max(4 * std::hypot(std_a, std_b), 1e-5 * a);
  return std::abs(a - b) <= width && width < 1e-3 * a;
}

/// |f| folded into 0 .. rate / 2.
double folded(double hz, double rate_hz) { return std::abs(std::remainder(hz, rate_hz)); }

bool fold_back(const Source& line, const std::vector<Source>& sources, double rate_hz, Finding& finding) {
  for (const Source& s : sources) {
    if (s.rms <= line.rms || agree(s.hz, s.std_hz, line.hz, line.std_hz)) continue;
    for (int order = 2; order <= 40; ++order) {
      // Harmonics of what is no family by itself fall at least as quickly as those of a saw tooth.
      if (order * s.hz <= rate_hz / 2 || line.rms > 2 * s.rms / order) continue;
      if (!agree(folded(order * s.hz, rate_hz), order * s.std_hz, line.hz, line.std_hz)) continue;
      finding.kind = "alias";
      finding.text += fmt::format(": harmonic {} of {} folded at half the rate", order, listed(s));
      finding.evidence.push_back(fmt::format("{} x {} = {} lies above half the rate, {}, and folds to {}",
                                             order, listed(s), format_quantity(order * s.hz, "Hz", 7),
                                             format_quantity(rate_hz / 2, "Hz"),
                                             format_quantity(folded(order * s.hz, rate_hz), "Hz", 7)));
      return true;
    }
  }
  return false;
}

bool part_of(const Source& line, const std::vector<Source>& sources, Finding& finding) {
  for (const Source& s : sources)
    for (const int part : {2, 3, 4}) {
      if (s.rms <= line.rms || !agree(s.hz / part, s.std_hz / part, line.hz, line.std_hz)) continue;
      static const char* const words[] = {"", "", "half", "a third", "a quarter"};
      finding.text += fmt::format(": {} of {}", words[part], listed(s));
      finding.evidence.push_back(fmt::format("{:+.2g} Hz from {} of the stronger line at {}",
                                             line.hz - s.hz / part, words[part], listed(s)));
      return true;
    }
  return false;
}

bool product_of_two(const Source& line, const std::vector<Source>& sources, Finding& finding) {
  constexpr int highest_order = 4;
  for (int order = 2; order <= highest_order; ++order)
    for (std::size_t i = 0; i < sources.size(); ++i)
      for (std::size_t j = i + 1; j < sources.size(); ++j) {
        const Source &p = sources[i], &q = sources[j];
        if (p.rms <= line.rms || q.rms <= line.rms) continue;
        for (int a = 1; a < order; ++a)
          for (const int b : {order - a, a - order}) {
            const double hz = std::abs(a * p.hz + b * q.hz), std_hz = std::hypot(a * p.std_hz, b * q.std_hz);
            if (!agree(hz, std_hz, line.hz, line.std_hz) || agree(hz, std_hz, p.hz, p.std_hz) ||
                agree(hz, std_hz, q.hz, q.std_hz))
              continue;
            finding.text += fmt::format(": a product of two stronger lines, {} x {} {} {} x {}", a, listed(p),
                                        b < 0 ? "-" : "+", std::abs(b), listed(q));
            finding.evidence.push_back(fmt::format("{} x {} {} {} x {} = {}", a, listed(p), b < 0 ? "-" : "+",
                                                   std::abs(b), listed(q), format_quantity(hz, "Hz", 7)));
            return true;
          }
      }
  return false;
}

/// Two lines of equal level far apart: what is left of a carrier that is suppressed.
void suppressed_carrier(const std::vector<Peak>& peaks, double rbw_hz, std::vector<Finding>& findings) {
  for (std::size_t i = 0; i < findings.size(); ++i)
    for (std::size_t j = i + 1; j < findings.size(); ++j) {
      Finding &a = findings[i], &b = findings[j];
      if (a.kind != "tone" || b.kind != "tone" || a.members.size() != 1 || b.members.size() != 1) continue;
      const Peak &p = peaks[a.members.front()], &q = peaks[b.members.front()];
      const double carrier = (p.frequency_hz + q.frequency_hz) / 2,
                   spacing = std::abs(p.frequency_hz - q.frequency_hz) / 2;
      if (std::abs(p.rms - q.rms) > std::max(3 * std::hypot(p.rms_std, q.rms_std), 1e-3 * p.rms) ||
          std::hypot(p.rms_std, q.rms_std) > 0.006 * p.rms || spacing > 0.5 * carrier || spacing < 4 * rbw_hz)
        continue;
      // Among several lines of like level some two are bound to be equal.
      if (std::any_of(peaks.begin(), peaks.end(), [&](const Peak& other) {
            return &other != &p && &other != &q && other.rms > 0.5 * p.rms && other.rms < 2 * p.rms;
          }))
        continue;
      // Two tones that something mixes leave products; a carrier that is suppressed does not.
      const bool mixed = std::any_of(peaks.begin(), peaks.end(), [&](const Peak& other) {
        for (const double hz :
             {p.frequency_hz + q.frequency_hz, 2 * p.frequency_hz, 2 * q.frequency_hz,
              std::abs(2 * p.frequency_hz - q.frequency_hz), std::abs(2 * q.frequency_hz - p.frequency_hz)})
          if (std::abs(other.frequency_hz - hz) < rbw_hz && other.rms < p.rms) return true;
        return false;
      });
      if (mixed) continue;
      const double std_hz = std::hypot(p.frequency_std_hz, q.frequency_std_hz) / 2;
      a.kind = "sideband-family";
      a.frequency_hz = carrier, a.frequency_std_hz = std_hz;
      a.level_rms = std::hypot(p.rms, q.rms);
      a.members.push_back(b.members.front());
      a.text = fmt::format(
          "sidebands of equal level {} to either side of {}, where there is no carrier: it is suppressed; {} "
          "RMS together",
          format_uncertain(spacing, std_hz, "Hz"), format_uncertain(carrier, std_hz, "Hz"),
          format_quantity(a.level_rms, a.unit, 4));
      a.evidence = {fmt::format("lines at {} and {} of {} and {} RMS",
                                format_uncertain(p.frequency_hz, p.frequency_std_hz, "Hz"),
                                format_uncertain(q.frequency_hz, q.frequency_std_hz, "Hz"),
                                format_quantity(p.rms, a.unit, 5), format_quantity(q.rms, a.unit, 5)),
                    "two machines of equal level would look the same: see the level over time"};
      a.lines = {{p.frequency_hz, p.frequency_std_hz, p.rms, p.frequency_hz < carrier ? -1 : 1},
                 {q.frequency_hz, q.frequency_std_hz, q.rms, q.frequency_hz < carrier ? -1 : 1}};
      a.numbers = {{"carrier_hz", carrier}, {"spacing_hz", spacing}, {"carrier_suppressed", 1}};
      findings.erase(findings.begin() + static_cast<std::ptrdiff_t>(j));
      break;
    }
}

}  // namespace

void relate_lines(const std::vector<Peak>& peaks, const SpectrumPlan& plan, std::vector<Finding>& findings) {
  const double rate_hz = plan.rate_hz;
  suppressed_carrier(peaks, plan.rbw_hz, findings);
  constexpr std::size_t most_sources = 6;
  std::vector<Source> sources;
  for (const Finding& f : findings)
    if (f.kind != "broadband" && f.kind != "resonance" && f.kind != "drift" && !f.members.empty() &&
        sources.size() < most_sources) {
      const Peak& lead = peaks[f.members.front()];
      sources.push_back({lead.frequency_hz, lead.frequency_std_hz, lead.rms});
    }
  for (Finding& f : findings) {
    if (f.kind != "tone" || f.members.size() != 1) continue;
    const Peak& p = peaks[f.members.front()];
    const Source line{p.frequency_hz, p.frequency_std_hz, p.rms};
    if (!fold_back(line, sources, rate_hz, f) && !product_of_two(line, sources, f)) part_of(line, sources, f);
  }
}

}  // namespace vprism
