// lattice_names.cpp: see lattice_names.h.
#include "identify/findings/lattice_names.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "identify/findings/family_lines.h"

namespace vprism {

namespace {

Finding lattice_family(const char* kind, const Channel& channel, const std::vector<Peak>& peaks,
                       const Lattice& lattice, const std::vector<LatticeLine>& lines) {
  Finding out;
  out.kind = kind, out.channel = channel.name, out.unit = channel.unit.label();
  out.frequency_hz = lattice.carrier_hz, out.frequency_std_hz = lattice.carrier_std_hz;
  double square = 0;
  for (const LatticeLine& line : lines) {
    const Peak& p = peaks[line.peak];
    square += p.rms * p.rms;
    out.members.push_back(line.peak);
  }
  out.level_rms = std::sqrt(square);
  return out;
}

void list_lines(Finding& finding, const std::vector<Peak>& peaks, std::vector<LatticeLine> lines) {
  std::sort(lines.begin(), lines.end(), [](const LatticeLine& a, const LatticeLine& b) {
    return std::pair(a.carrier_order, a.side_order) < std::pair(b.carrier_order, b.side_order);
  });
  for (const LatticeLine& line : lines) {
    const Peak& p = peaks[line.peak];
    finding.lines.push_back({p.frequency_hz, p.frequency_std_hz, p.rms,
                             line.side_order == 0 ? line.carrier_order : line.side_order});
  }
}

std::vector<std::size_t> carrier_orders(const std::vector<LatticeLine>& lines) {
  std::vector<std::size_t> out;
  for (const LatticeLine& line : lines) out.push_back(static_cast<std::size_t>(line.carrier_order));
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace

std::vector<Finding> name_lattice(const Channel& channel, const std::vector<Peak>& peaks,
                                  const Lattice& lattice) {
  std::vector<LatticeLine> own, sides;  // Strongest first.
  int farthest = 0;
  for (const LatticeLine& line : lattice.lines) {
    (line.side_order == 0 ? own : sides).push_back(line);
    farthest = std::max(farthest, std::abs(line.side_order));
  }
  const std::string carrier = format_uncertain(lattice.carrier_hz, lattice.carrier_std_hz, "Hz");
  const auto shown = [&](double rms) { return format_quantity(rms, channel.unit.label(), 4) + " RMS"; };
  std::vector<Finding> out;
  if (own.size() > 1) {
    Finding& finding = out.emplace_back(lattice_family("harmonic-family", channel, peaks, lattice, own));
    finding.text = fmt::format("a harmonic family on {} ({}), {} together, with sidebands", carrier,
                               listed_orders(carrier_orders(own), 1), shown(finding.level_rms));
    list_lines(finding, peaks, own);
  } else {
    sides.insert(sides.end(), own.begin(), own.end());
  }
  Finding& finding = out.emplace_back(lattice_family("sideband-family", channel, peaks, lattice, sides));
  finding.text =
      fmt::format("sidebands at multiples of {}, up to {}, around {} of {}{}, {} lines, {} together",
                  format_uncertain(lattice.spacing_hz, lattice.spacing_std_hz, "Hz"), farthest,
                  listed_orders(carrier_orders(sides), 1), carrier,
                  own.empty() ? " (no line there itself)" : "", sides.size(), shown(finding.level_rms));
  finding.numbers = {{"spacing_hz", lattice.spacing_hz},
                     {"spacing_std_hz", lattice.spacing_std_hz},
                     {"carrier_hz", lattice.carrier_hz},
                     {"carrier_std_hz", lattice.carrier_std_hz}};
  list_lines(finding, peaks, sides);
  constexpr std::size_t most = 12;
  for (std::size_t i = 0; i < std::min(most, sides.size()); ++i) {
    const Peak& p = peaks[sides[i].peak];
    const double off = p.frequency_hz - sides[i].carrier_order * lattice.carrier_hz -
                       sides[i].side_order * lattice.spacing_hz;
    finding.evidence.push_back(fmt::format(
        "{} is {} x the carrier {:+d} x the spacing, {:+.2g} uncertainties off, {}",
        format_uncertain(p.frequency_hz, p.frequency_std_hz, "Hz"), sides[i].carrier_order,
        sides[i].side_order, off / std::max(p.frequency_std_hz, 1e-9 * p.frequency_hz), shown(p.rms)));
  }
  return out;
}

}  // namespace vprism
