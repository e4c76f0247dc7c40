// window_table.cpp: see window_table.h.
#include "commands/spectrum/window_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/percentile.h"

namespace vprism {

namespace {

WindowNumbers numbers_of(const Spectrum& s, const std::vector<Peak>& lines) {
  WindowNumbers out;
  out.window = s.window.name();
  out.rbw_hz = s.plan.rbw_hz;
  out.sidelobe_db = window_figures(s.window).sidelobe_db;
  out.noise_rms = std::sqrt(percentile_of(s.power, 0.5));
  for (const Peak& line : lines) {
    const auto at = std::lround(s.bins_at(line.frequency_hz));
    if (at < 1 || at + 1 >= static_cast<long>(s.bins())) continue;
    // The top nearest by: a bin or two away at the most.
    for (const long k : {at, at - 1, at + 1, at - 2, at + 2}) {
      if (k < 1 || k + 1 >= static_cast<long>(s.bins())) continue;
      const auto i = static_cast<std::size_t>(k);
      if (s.power[i] < s.power[i - 1] || s.power[i] < s.power[i + 1]) continue;
      const double db = 10 * std::log10(s.power[i] / (line.rms * line.rms));
      if (std::abs(db) > 3) break;
      ++out.seen;
      if (std::abs(db) > std::abs(out.reading_db)) out.reading_db = db;
      break;
    }
  }
  return out;
}

}  // namespace

std::vector<WindowNumbers> window_numbers(const ChannelSpectrum& channel) {
  std::vector<WindowNumbers> out;
  if (channel.compared.empty() || channel.peaks.empty() || !channel.no_data.empty()) return out;
  out.push_back(numbers_of(channel.spectrum, channel.peaks));
  for (const Spectrum& other : channel.compared) out.push_back(numbers_of(other, channel.peaks));
  return out;
}

std::string window_advice(const std::vector<WindowNumbers>& numbers, std::size_t lines) {
  const auto most = std::max_element(numbers.begin(), numbers.end(), [](const auto& a, const auto& b) {
    return a.seen < b.seen || (a.seen == b.seen && std::abs(a.reading_db) > std::abs(b.reading_db));
  });
  const bool all_alike = std::all_of(numbers.begin(), numbers.end(),
                                     [&](const WindowNumbers& n) { return n.seen == most->seen; });
  return most->window +
         (all_alike ? fmt::format(": all show {} of {} lines, and it reads them best, within {:.2f} dB",
                                  most->seen, lines, std::abs(most->reading_db))
                    : fmt::format(": it shows {} of {} lines as tops of their own; no other shows more and "
                                  "reads them as well",
                                  most->seen, lines));
}

std::string windows_text(const ChannelSpectrum& channel) {
  const std::vector<WindowNumbers> numbers = window_numbers(channel);
  if (numbers.empty()) return "";
  TextTable table({{"window", TextTable::Align::left},
                   {"RBW"},
                   {"side lobes (dB)"},
                   {"noise of a bin"},
                   {"lines seen"},
                   {"farthest reading (dB)"}});
  for (const WindowNumbers& n : numbers)
    table.add({n.window, format_quantity(n.rbw_hz, "Hz", 4),
               std::isfinite(n.sidelobe_db) ? fmt::format("{:.1f}", n.sidelobe_db) : "",
               format_quantity(n.noise_rms, channel.channel.unit.label(), 3),
               fmt::format("{} of {}", n.seen, channel.peaks.size()), fmt::format("{:+.2f}", n.reading_db)});
  return table.text() + "  best for these lines: " + window_advice(numbers, channel.peaks.size()) + "\n";
}

Json windows_json(const ChannelSpectrum& channel) {
  Json out = Json::array();
  for (const WindowNumbers& n : window_numbers(channel))
    out.push_back({{"window", n.window},
                   {"rbw_hz", number(n.rbw_hz)},
                   {"sidelobe_db", number(n.sidelobe_db)},
                   {"noise_rms", number(n.noise_rms)},
                   {"lines_seen", n.seen},
                   {"farthest_reading_db", number(n.reading_db)}});
  return out;
}

}  // namespace vprism
