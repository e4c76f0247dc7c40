// scale.cpp: see scale.h.
#include "transform/spectra/scale.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

const std::vector<ScaleEntry>& scale_table() {
  static const std::vector<ScaleEntry> table = {
      {Scale::peak, "peak", "amplitude of a sine, zero to peak", true, false},
      {Scale::peak_to_peak, "peak-to-peak", "height of a sine from trough to crest", true, false},
      {Scale::rms, "rms", "RMS of a sine", true, false},
      {Scale::power, "power", "mean square of a sine", false, false},
      {Scale::psd, "psd", "mean square per hertz", false, true},
      {Scale::asd, "asd", "root of the mean square per hertz", true, true},
      {Scale::esd, "esd", "energy of a segment per hertz", false, true}};
  return table;
}

const ScaleEntry& scale_entry(Scale scale) {
  return *std::find_if(scale_table().begin(), scale_table().end(),
                       [&](const ScaleEntry& e) { return e.scale == scale; });
}

Scale parse_scale(std::string_view text) { return entry_named("scale", text, scale_table()).scale; }

std::string scale_unit(const Unit& unit, Scale scale) {
  const std::string label = unit.label();
  if (scale == Scale::asd)
    return (label.find_first_of("/*. ") == std::string::npos ? label : "(" + label + ")") + "/\u221aHz";
  if (scale_entry(scale).amplitude) return label;
  const bool plain = label.find_first_of("/*. \u00B2") == std::string::npos;
  const std::string square = label == "1" ? "1" : (plain ? label : "(" + label + ")") + "\u00B2";
  return scale == Scale::power ? square : scale == Scale::psd ? square + "/Hz" : square + " s/Hz";
}

std::optional<Unit> unit_over_root_hertz(const Unit& unit) {
  std::string_view text = trimmed(unit.text());
  for (const std::string_view tail : {"/\u221aHz", "/\u221a(Hz)", "/sqrt(Hz)", "/sqrtHz", "/rtHz", "/rt(Hz)",
                                      "/Hz^0.5", "/Hz^(1/2)", "/Hz^1/2", " Hz^-0.5"}) {
    if (text.size() < tail.size() + 1 || text.substr(text.size() - tail.size()) != tail) continue;
    text = trimmed(text.substr(0, text.size() - tail.size()));
    if (text.size() > 2 && text.front() == '(' && text.back() == ')') text = text.substr(1, text.size() - 2);
    return text == "1" ? Unit() : Unit::try_parse(text);
  }
  return {};
}

double level_of(double mean_square, Scale scale, double crest, double rbw_hz, double segment_s) {
  switch (scale) {
    case Scale::peak:
      return std::sqrt(crest * mean_square);
    case Scale::peak_to_peak:
      return 2 * std::sqrt(crest * mean_square);
    case Scale::rms:
      return std::sqrt(mean_square);
    case Scale::power:
      return mean_square;
    case Scale::psd:
      return mean_square / rbw_hz;
    case Scale::asd:
      return std::sqrt(mean_square / rbw_hz);
    case Scale::esd:
      return mean_square / rbw_hz * segment_s;
  }
  return 0;
}

}  // namespace vprism
