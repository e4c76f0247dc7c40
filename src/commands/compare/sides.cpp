// sides.cpp: what can stand on one side of a comparison.
#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <sstream>

#include "base/error.h"
#include "base/text.h"
#include "commands/compare/compare.h"
#include "commands/shared/stored_report.h"

namespace vprism {

std::vector<ComparedLine> compared_lines(const ChannelSpectrum& c) {
  std::vector<ComparedLine> out;
  for (const Peak& p : c.peaks) {
    if (p.doubtful()) continue;
    if (p.broad())
      out.push_back({p.frequency_hz, 2 * c.spectrum.plan.rbw_hz, p.band_rms,
                     p.band_rms / (2 * std::sqrt(c.spectrum.noise_averages)), true});
    else
      out.push_back({p.frequency_hz, p.frequency_std_hz, p.rms, p.rms_std});
  }
  return out;
}

std::vector<Side> saved_sides(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::stringstream all;
  all << in.rdbuf();
  if (!in) throw Error(Status::input, path + ": can't be read; check the name");
  const Json document = Json::parse(all.str(), nullptr, false);
  const auto wrong = [&](const std::string& what) { throw Error(Status::input, path + ": " + what); };
  if (document.is_discarded() || !document.is_object() || !document.contains("vprism"))
    wrong("no result document; give one that spectrum, survey or identify wrote");
  const Json settings = document.value("settings", Json::object());
  const std::string scale = settings.is_object() ? settings.value("scale", "rms") : "rms";
  const double to_rms = scale == "peak"           ? 1 / std::sqrt(2.0)
                        : scale == "peak-to-peak" ? 1 / std::sqrt(8.0)
                                                  : 1;
  if (to_rms == 1 && scale != "rms")
    wrong("its levels are in the scale " + clean_text(scale) + "; rms or peak can be compared");
  std::vector<Side> out;
  try {
    for (const Json& entry : document.at("results")) {
      if (!entry.contains("peaks")) continue;
      Side side;
      side.file = path;
      side.channel.name = clean_text(entry.at("channel").get<std::string>());
      side.channel.unit = Unit::try_parse(entry.at("unit").get<std::string>())
                              .value_or(Unit::opaque(entry.at("unit").get<std::string>()));
      for (const Json& p : entry.at("peaks")) {
        const auto read = [&](const char* key) {
          return p.contains(key) && p[key].is_number() ? p[key].get<double>() : 0;
        };
        side.lines.push_back({read("frequency_hz"), read("frequency_std_hz"), to_rms * read("level"),
                              to_rms * read("level_std")});
      }
      out.push_back(std::move(side));
    }
  } catch (const Json::exception& error) {
    wrong(std::string("the document is damaged: ") + error.what());
  }
  if (out.empty()) wrong("the document holds no peaks to compare");
  return out;
}

namespace {

/// The unit whose square, or square over hertz, this is; unknown (kept as text) where the text does not show
/// it.
Unit unit_of_amplitude(const Unit& unit, const StoredScale& scale) {
  std::string_view text = unit.text();
  if (scale.name == "esd") return Unit::opaque(text);
  const auto cut = [&](std::string_view end) {
    if (!text.ends_with(end)) return false;
    text.remove_suffix(end.size());
    return true;
  };
  if (scale.density)
    for (const char* per :
         {"/\u221aHz", "/sqrt(Hz)", "/Hz^0.5", " Hz^-0.5", "/Hz^(1/2)", "/Hz", " Hz^-1", " Hz-1"})
      if (cut(per)) break;
  if (scale.power)
    for (const char* square : {"^2", "\u00B2", "**2", "2"})
      if (cut(square)) break;
  if (text.size() > 2 && text.front() == '(' && text.back() == ')') text = text.substr(1, text.size() - 2);
  if (text.empty()) return Unit();
  return Unit::try_parse(text).value_or(Unit::opaque(text));
}

std::string name_of_scale(const StoredScale& scale) {
  if (scale.decibels) return "decibels of amplitude";
  if (scale.name == "psd") return "power spectral density";
  if (scale.name == "asd") return "amplitude spectral density";
  if (scale.name == "power") return "power of a bin";
  return scale.name == "peak" ? "peak amplitudes" : "RMS";
}

/// Levels as powers of a bin, in the unit of the amplitude's square.
std::vector<double> powers_of(const StoredSpectrum& s, const StoredScale& scale, double rbw_hz) {
  std::vector<double> out;
  for (const double level : s.level) {
    double power = scale.decibels ? std::pow(10.0, level / 10)
                   : scale.power  ? std::abs(level)
                                  : level * level;
    if (scale.density) power *= rbw_hz;
    if (scale.name == "peak") power /= 2;
    out.push_back(power);
  }
  return out;
}

}  // namespace

Side stored_side(const StoredSpectrum& s, const Window& window, std::vector<Caution>& cautions) {
  const StoredScale scale = stored_scale(s);
  Side side;
  side.file = s.facts.recording.file;
  side.channel = s.channel;
  side.channel.unit = scale.decibels ? Unit() : unit_of_amplitude(s.channel.unit, scale);
  const std::string ending = " " + scale.name;
  if (!scale.name.empty() && side.channel.name.ends_with(ending))
    side.channel.name = s.channel.name.substr(0, s.channel.name.size() - ending.size());
  const std::size_t count = s.hz.size();
  const double step = count > 1 ? (s.hz.back() - s.hz.front()) / static_cast<double>(count - 1) : 0;
  bool even = count >= 16;
  for (std::size_t k = 1; k < count && even; ++k) even = std::abs(s.hz[k] - s.hz[k - 1] - step) < 1e-3 * step;
  if (!even)
    throw Error(Status::analysis,
                side.file +
                    ": a spectrum to compare with a recording needs even steps of frequency, sixteen at "
                    "least; files that all hold spectra at uneven ones are compared as they are");
  ChannelSpectrum c{side.channel, {}};
  Spectrum& spectrum = c.spectrum;
  spectrum.window = window;
  spectrum.transform = 2 * (count - 1);
  spectrum.plan.segment = spectrum.transform;
  spectrum.plan.hop = spectrum.transform / 2;
  spectrum.plan.averages = 2;
  spectrum.plan.bin_hz = step;
  spectrum.plan.rate_hz = step * static_cast<double>(spectrum.transform);
  spectrum.start_bins = std::round(s.hz.front() / step);
  spectrum.enbw_bins = window_enbw_bins(spectrum.window);
  spectrum.plan.rbw_hz = spectrum.enbw_bins * step;
  spectrum.noise_averages = 1;
  spectrum.power = powers_of(s, scale, spectrum.plan.rbw_hz);
  spectrum.first.assign(count, 0.0);
  PeakSearch search = find_peaks(spectrum);
  c.floor = std::move(search.floor);
  c.peaks = std::move(search.peaks);
  side.lines = compared_lines(c);
  side.spectrum = std::move(c);
  cautions.push_back({"stored-levels", Severity::note, s.channel.name,
                      side.file + ": its levels are taken as " + name_of_scale(scale) + " under the window " +
                          spectrum.window.name() + ", in two averages: the file does not say",
                      "compare recordings where there are any"});
  return side;
}

}  // namespace vprism
