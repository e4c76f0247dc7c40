// report.cpp: spectra as tables, JSON and CSV.
#include <fmt/format.h>
#include <oneapi/tbb/parallel_pipeline.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/machine/spill.h"
#include "base/units/digits.h"
#include "commands/spectrum/spectrum.h"
#include "commands/spectrum/window_table.h"
#include "formats/files/output_file.h"
#include "transform/spectra/confidence.h"

namespace vprism {

double Shown::value(double level) const {
  return settings.decibel_reference ? decibels(level, amplitude(), *settings.decibel_reference) : level;
}

std::string Shown::unit(const Unit& unit) const {
  const std::string plain = scale_unit(unit, settings.scale);
  if (!settings.decibel_reference) return plain;
  return "dB re " + format_number(*settings.decibel_reference) + (plain == "1" ? "" : " " + plain);
}

double phase_at(double start_deg, double hz, double later_s) {
  return std::remainder(start_deg + 360 * std::remainder(hz * later_s, 1.0), 360.0);
}

double phase_shown(const ChannelSpectrum& c, std::size_t bin, const AnalysisSettings& settings,
                   double start_s) {
  if (!c.phase_deg.empty()) return c.phase_deg[bin];
  const double hz = c.spectrum.frequency_hz(bin) - (c.spectrum.two_sided ? c.spectrum.centre_hz : 0);
  return phase_at(std::arg(c.spectrum.first[bin]) * 180 / std::numbers::pi, hz,
                  settings.phase_at_s.value_or(start_s) - start_s);
}

std::string plan_text(const Spectrum& s, double overlap) {
  std::string kind = s.window.name();
  if (s.tapers > 0) kind = std::to_string(s.tapers) + " tapers";
  std::string averaging = s.plan.averages == 1 ? "segment" : "averages";
  if (s.average != Average::mean)
    for (const AverageEntry& entry : average_table())
      if (entry.average == s.average) averaging = std::string("segments, ") + entry.name;
  std::string out = fmt::format("{}, segment {}, {}% overlap, {} {}, bin {}, RBW {}", kind, s.plan.segment,
                                format_number(100 * overlap, 3), s.plan.averages, averaging,
                                format_quantity(s.plan.bin_hz, "Hz"), format_quantity(s.plan.rbw_hz, "Hz"));
  if (s.transform > s.plan.segment)
    out += fmt::format(", {} bins to a resolution by zeros (interpolated)", s.transform / s.plan.segment);
  if (s.zoomed > 1) out += fmt::format(", band shifted down and decimated by {}", s.zoomed);
  return out;
}

TextTable peak_table(const ChannelSpectrum& c, const AnalysisSettings& settings) {
  const Shown shown{settings};
  TextTable table(
      {{"#"},
       {"frequency (Hz)"},
       {std::string("level (") + shown.unit(c.channel.unit) + " " + scale_entry(settings.scale).name + ")"},
       {"phase (deg)"},
       {"over noise (dB)"},
       {"", TextTable::Align::left}});
  for (std::size_t i = 0; i < c.peaks.size(); ++i) {
    const Peak& p = c.peaks[i];
    const double level = c.peak_level(p, settings.scale);
    const double relative = (shown.amplitude() ? 1 : 2) * p.rms_std / p.rms;
    const std::string text = settings.decibel_reference ? fmt::format("{:.2f}", shown.value(level))
                                                        : format_uncertain(level, relative * level, "");
    table.add({std::to_string(i + 1), format_uncertain(p.frequency_hz, p.frequency_std_hz, ""), text,
               fmt::format("{:.1f}", p.phase_deg), fmt::format("{:.1f}", p.signal_to_noise_db()),
               p.doubtful() ? "interpolation?"
               : p.broad()  ? "broad"
                            : ""});
  }
  return table;
}

TextTable band_table(const ChannelSpectrum& c, const AnalysisSettings& settings) {
  TextTable table({{"band"},
                   {"from (Hz)"},
                   {"to (Hz)"},
                   {settings.decibel_reference ? "RMS (dB re " + format_number(*settings.decibel_reference) +
                                                     " " + c.channel.unit.label() + ")"
                                               : "RMS (" + c.channel.unit.label() + ")"},
                   {"share (%)"},
                   {"", TextTable::Align::left}});
  for (const BandLevel& band : c.bands) {
    const double rms = std::sqrt(band.mean_square);
    table.add({band.edges.name.empty() ? "" : band.edges.name, format_number(band.edges.low_hz, 5),
               format_number(band.edges.high_hz, 5),
               settings.decibel_reference
                   ? fmt::format("{:.2f}", decibels(rms, true, *settings.decibel_reference))
                   : format_number(rms, 4),
               fmt::format("{:.2f}", 100 * band.share),
               !band.iec_class        ? ""
               : *band.iec_class == 0 ? "RBW too wide for IEC 61260-1"
                                      : fmt::format("class {}", *band.iec_class)});
  }
  return table;
}

namespace {

Json bands_json(const ChannelSpectrum& c) {
  Json out = Json::array();
  for (const BandLevel& band : c.bands) {
    out.push_back({{"low_hz", number(band.edges.low_hz)},
                   {"high_hz", number(band.edges.high_hz)},
                   {"level", number(std::sqrt(band.mean_square))},
                   {"share", number(band.share)}});
    if (band.edges.name.empty()) continue;
    out.back()["name"] = band.edges.name;
    out.back()["middle_hz"] = number(band.edges.middle_hz);
    if (band.iec_class) out.back()["iec_class"] = *band.iec_class;
  }
  if (!c.bands.empty()) return out;
  const auto [low, high] =
      c.spectrum.bins_within(c.span ? c.span->low : std::nullopt, c.span ? c.span->high : std::nullopt);
  double square = 0;
  for (std::size_t k = low; k < high; ++k) square += c.spectrum.share(k);
  out.push_back({{"low_hz", low < high ? number(c.spectrum.frequency_hz(low)) : Json(nullptr)},
                 {"high_hz", low < high ? number(c.spectrum.frequency_hz(high - 1)) : Json(nullptr)},
                 {"level", number(std::sqrt(square))}});
  return out;
}

}  // namespace

Json spectrum_json(const SpectrumResult& result, const AnalysisSettings& settings) {
  Json out = Json::array();
  const bool amplitude = scale_entry(settings.scale).amplitude;
  for (const ChannelSpectrum& c : result.channels) {
    const SpectrumPlan& plan = c.spectrum.plan;
    Json peaks = Json::array();
    for (const Peak& p : c.peaks) {
      const double level = c.peak_level(p, settings.scale);
      peaks.push_back(
          {{"frequency_hz", number(p.frequency_hz)},
           {"frequency_std_hz", number(p.frequency_std_hz)},
           {"level", number(level)},
           {"level_std", number((amplitude ? 1 : 2) * level * p.rms_std / p.rms)},
           {"level_db", number(decibels(level, amplitude, settings.decibel_reference.value_or(1)))},
           {"phase_deg", number(p.phase_deg)},
           {"prominence_db", number(p.prominence_db)},
           {"over_noise_db", number(p.signal_to_noise_db())},
           {"broad", p.broad()}});
      if (!c.coherence.empty()) peaks.back()["coherence"] = number(c.coherence[p.bin]);
      if (p.doubt_rms > 0) {
        peaks.back()["interpolated"] = p.doubtful();
        peaks.back()["interpolation_rms"] = number(p.doubt_rms);
      }
    }
    std::string average;
    for (const AverageEntry& entry : average_table())
      if (entry.average == c.spectrum.average) average = entry.name;
    Json entry = {
        {"channel", c.channel.name},           {"unit", c.channel.unit.label()},
        {"file", result.facts.recording.file}, {"level_unit", scale_unit(c.channel.unit, settings.scale)},
        {"rate_hz", number(plan.rate_hz)},     {"segment", plan.segment},
        {"bin_hz", number(plan.bin_hz)},       {"rbw_hz", number(plan.rbw_hz)},
        {"averages", plan.averages},           {"average", average},
        {"window", c.spectrum.window.name()},  {"scale", scale_entry(settings.scale).name},
        {"mean", number(c.spectrum.mean)},     {"rms_total", number(c.spectrum.rms_total())},
        {"peaks", std::move(peaks)},           {"bands", bands_json(c)}};
    if (!c.no_data.empty()) entry["no_data"] = c.no_data;
    if (!c.compared.empty()) entry["windows"] = windows_json(c);
    if (!c.bands.empty())
      for (const char letter : {'A', 'C'})
        entry[std::string("level_") + static_cast<char>(std::tolower(letter))] =
            number(std::sqrt(weighted_mean_square(c.curve(), letter)));
    if (c.spectrum.two_sided) entry["centre_hz"] = number(c.spectrum.centre_hz);
    if (c.spectrum.zoomed > 1) entry["decimated_by"] = c.spectrum.zoomed;
    if (c.shown && c.shown->tapers > 0) entry["tapers"] = c.shown->tapers;
    if (c.shown && c.shown->tapers == 0) entry["interpolated_bin_hz"] = number(c.shown->plan.bin_hz);
    if (settings.confidence) {
      const auto [low, high] = confidence_factors(c.curve().noise_averages, *settings.confidence);
      entry["confidence"] = {{"share", number(*settings.confidence)},
                             {"low_db", number(10 * std::log10(low))},
                             {"high_db", number(10 * std::log10(high))}};
    }
    out.push_back(std::move(entry));
  }
  return out;
}

namespace {

/// Channels whose curves have the same frequencies stand side by side in one table.
void csv_table(const SpectrumResult& result, const std::vector<std::size_t>& channels,
               const AnalysisSettings& settings, const std::function<void(std::string_view)>& write) {
  const Shown shown{settings};
  const ChannelSpectrum& lead = result.channels[channels.front()];
  const bool bounds = settings.confidence.has_value(), phases = settings.shows_phase() && !lead.shown;
  std::vector<std::pair<double, double>> factors;
  for (const ChannelSpectrum& c : result.channels)
    factors.push_back(confidence_factors(c.curve().noise_averages, settings.confidence.value_or(0.95)));
  std::string out = "frequency (Hz)";
  for (const std::size_t i : channels) {
    const ChannelSpectrum& c = result.channels[i];
    const std::string what = c.channel.name + " " + scale_entry(settings.scale).name;
    const std::string unit = " (" + shown.unit(c.channel.unit) + ")";
    out += "," + csv_cell(what + unit);
    for (const Spectrum& other : c.compared) out += "," + csv_cell(what + " " + other.window.name() + unit);
    if (bounds) out += "," + csv_cell(what + " low" + unit) + "," + csv_cell(what + " high" + unit);
    if (phases) out += "," + csv_cell(c.channel.name + " phase (deg)");
    if (!c.coherence.empty()) out += "," + csv_cell(c.channel.name + " coherence");
  }
  out += "\n";
  const auto columns_of = [&](const ChannelSpectrum& c) {
    return 1 + c.compared.size() + (bounds ? 2u : 0u) + (phases ? 1u : 0u) + (c.coherence.empty() ? 0u : 1u);
  };
  const Range span = lead.span.value_or(Range{});
  const auto [from, end] = lead.curve().bins_within(span.low, span.high);
  const std::size_t low = from, high = end;
  // Rows are put into words on all cores, some at a time, and written in order. Channels may lie in a mapped
  // file: each is touched once for all rows of a piece.
  write(out);
  std::size_t columns = 0;
  for (const std::size_t i : channels) columns += columns_of(result.channels[i]);
  constexpr std::size_t fewest_rows = 128, most_bytes = std::size_t{64} << 20,
                        bytes_a_cell = 18 + sizeof(double);
  const std::size_t at_once = std::max(fewest_rows, 16384 / channels.size());
  constexpr double blank = std::numeric_limits<double>::quiet_NaN();
  // Levels first, then what is written with fewer digits.
  const auto levels_of = [&](const ChannelSpectrum& c) { return 1 + c.compared.size() + (bounds ? 2u : 0u); };
  const auto gather = [&](std::size_t i, std::size_t k, double* to) {
    const ChannelSpectrum& c = result.channels[i];
    if (!c.no_data.empty()) return void(std::fill_n(to, columns_of(c), blank));
    const double level = c.curve().level(k, settings.scale);
    *to++ = level;
    for (const Spectrum& other : c.compared)
      *to++ = k < other.bins() ? other.level(k, settings.scale) : blank;
    if (bounds)
      for (const double factor : {factors[i].first, factors[i].second})
        *to++ = level * (shown.amplitude() ? std::sqrt(factor) : factor);
    if (phases) *to++ = phase_shown(c, k, settings, result.facts.recording.axis.start);
    if (!c.coherence.empty()) *to++ = c.coherence[k];
  };
  const auto piece_from = [&](std::size_t first) {
    const std::size_t rows = std::min(at_once, high - first);
    std::vector<double> cells(rows * columns);
    std::size_t column = 0;
    for (std::size_t number = 0; number < channels.size(); ++number) {
      if (number % 64 == 63) keep_spilled_small();
      for (std::size_t row = 0; row < rows; ++row)
        gather(channels[number], first + row, &cells[row * columns + column]);
      column += columns_of(result.channels[channels[number]]);
    }
    std::string text;
    text.reserve(rows * columns * 18);
    const double* cell = cells.data();
    for (std::size_t row = 0; row < rows; ++row) {
      fmt::format_to(std::back_inserter(text), "{}", lead.curve().frequency_hz(first + row));
      for (const std::size_t i : channels) {
        const ChannelSpectrum& c = result.channels[i];
        const std::size_t levels = levels_of(c);
        for (std::size_t k = 0; k < columns_of(c); ++k, ++cell) {
          text += ',';
          if (std::isnan(*cell)) continue;
          if (k < levels)
            append_ten_digits(text, shown.value(*cell));
          else
            fmt::format_to(std::back_inserter(text), "{:.6g}", *cell);
        }
      }
      text += '\n';
    }
    return text;
  };
  namespace tbb = oneapi::tbb;
  std::size_t next = low;
  const auto take = [&](tbb::flow_control& flow) {
    if (next >= high) flow.stop();
    const std::size_t first = next;
    next += at_once;
    return first;
  };
  const std::size_t most_under_way =
      std::clamp<std::size_t>(most_bytes / (at_once * columns * bytes_a_cell), 2, 32);
  tbb::parallel_pipeline(
      most_under_way,
      tbb::make_filter<void, std::size_t>(tbb::filter_mode::serial_in_order, take) &
          tbb::make_filter<std::size_t, std::string>(tbb::filter_mode::parallel, piece_from) &
          tbb::make_filter<std::string, void>(tbb::filter_mode::serial_in_order,
                                              [&](const std::string& piece) { write(piece); }));
}

bool same_frequencies(const ChannelSpectrum& a, const ChannelSpectrum& b) {
  const Spectrum &x = a.curve(), &y = b.curve();
  const bool span = a.span.has_value() == b.span.has_value() &&
                    (!a.span || (a.span->low == b.span->low && a.span->high == b.span->high));
  return span && x.bins() == y.bins() && x.frequency_hz(0) == y.frequency_hz(0) &&
         x.plan.bin_hz == y.plan.bin_hz;
}

}  // namespace

void write_spectrum_csv(const SpectrumResult& result, const AnalysisSettings& settings,
                        const std::string& path) {
  std::vector<std::vector<std::size_t>> groups;
  for (std::size_t c = 0; c < result.channels.size(); ++c) {
    const auto found = std::find_if(groups.begin(), groups.end(), [&](const auto& group) {
      return same_frequencies(result.channels[group.front()], result.channels[c]);
    });
    if (found == groups.end())
      groups.push_back({c});
    else
      found->push_back(c);
  }
  OutputFile file(path);
  for (const auto& group : groups) {
    if (&group != &groups.front()) file.write("\n");
    csv_table(result, group, settings, [&](std::string_view text) { file.write(text); });
  }
  file.finish();
}

}  // namespace vprism
