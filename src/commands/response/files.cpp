// files.cpp: the files of the command `response`: ratios, densities, impulse responses.
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "base/text.h"
#include "commands/response/response.h"

namespace vprism {

double PhaseAlong::next(std::complex<double> value, bool known) {
  double degrees = std::arg(value) * 180 / std::numbers::pi;
  if (unwrapped_ && begun_) degrees = last_ + std::remainder(degrees - last_, 360.0);
  if (known) last_ = degrees, begun_ = true;
  return degrees;
}

std::string response_csv(const ResponseResult& result, bool unwrapped) {
  const ResponseSet& set = result.set;
  std::vector<PhaseAlong> phases(set.curves.size(), PhaseAlong(unwrapped));
  std::string out = "frequency (Hz)";
  for (const ResponseCurve& curve : set.curves) {
    const std::string name = result.curve_name(curve), unit = " (" + result.curve_unit(curve).text() + ")";
    for (const std::string& column :
         {name + " re" + unit, name + " im" + unit, name + " magnitude" + unit, name + " phase (deg)",
          name + " coherence", name + " relative error", name + " known"})
      out += "," + csv_cell(column);
  }
  out += "\n";
  for (std::size_t k = 0; k < set.frequency_hz.size(); ++k) {
    out += fmt::format("{:.10g}", set.frequency_hz[k]);
    for (std::size_t i = 0; i < set.curves.size(); ++i) {
      const ResponseCurve& curve = set.curves[i];
      const bool known = result.known(curve, k);
      if (!set.driven[k]) {
        out += ",,,,,,,0";
        continue;
      }
      const std::complex<double> h = curve.ratio[k];
      out += fmt::format(",{:.9g},{:.9g},{:.9g},{:.5f},{:.6f},{},{}", h.real(), h.imag(), std::abs(h),
                         phases[i].next(h, known), set.coherence[curve.channel][k],
                         std::isnan(curve.error[k]) ? std::string() : fmt::format("{:.4g}", curve.error[k]),
                         known ? 1 : 0);
    }
    out += "\n";
  }
  return out;
}

std::string densities_csv(const ResponseResult& result) {
  const Recording& r = result.recording;
  const CrossSpectra& s = result.spectra;
  std::string out = "frequency (Hz)";
  for (const Channel& c : r.channels)
    out += "," + csv_cell(c.name + " auto (" + scale_unit(c.unit, Scale::psd) + ")");
  const bool one = s.references.size() == 1;
  if (one)
    for (std::size_t c = 0; c < r.channels.size(); ++c)
      if (c != s.references[0]) {
        const std::string name = r.channels[c].name + " x " + r.channels[s.references[0]].name;
        out += "," + csv_cell(name + " cross re") + "," + csv_cell(name + " cross im");
      }
  out += "\n";
  const Spectrum& grid = s.own.front();
  for (std::size_t k = 0; k < grid.bins(); ++k) {
    out += fmt::format("{:.10g}", grid.frequency_hz(k));
    for (const Spectrum& own : s.own) out += fmt::format(",{:.9g}", own.power[k] / grid.plan.rbw_hz);
    if (one)
      for (std::size_t c = 0; c < r.channels.size(); ++c)
        if (c != s.references[0]) {
          const std::complex<double> v = s.cross[c][0][k] / grid.plan.rbw_hz;
          out += fmt::format(",{:.9g},{:.9g}", v.real(), v.imag());
        }
    out += "\n";
  }
  return out;
}

std::string impulses_csv(const ResponseResult& result) {
  std::string out = "time (s)";
  std::size_t length = 0;
  for (std::size_t i = 0; i < result.set.curves.size(); ++i) {
    if (result.impulses[i].empty()) return {};
    length = result.impulses[i].size();
    out += "," + csv_cell(result.curve_name(result.set.curves[i]) + " (" +
                          result.curve_unit(result.set.curves[i]).over(Unit::parse("s")).text() + ")");
  }
  out += "\n";
  for (std::size_t n = 0; n < length; ++n) {
    out += fmt::format("{:.10g}", static_cast<double>(n) / result.set.rate_hz);
    for (const auto& h : result.impulses) out += fmt::format(",{:.9g}", h[n]);
    out += "\n";
  }
  return out;
}

Recording response_recording(const ResponseResult& result, std::vector<std::vector<double>>& columns) {
  const ResponseSet& set = result.set;
  Recording out = result.recording;
  out.channels.clear();
  out.complex = true;
  out.axis = {};
  out.axis.domain = Axis::Domain::frequency;
  out.axis.start = set.frequency_hz.front(), out.axis.interval = set.bin_hz();
  out.axis.source = "response", out.axis.name = "Frequency", out.axis.unit = Unit::parse("Hz");
  out.samples = static_cast<std::int64_t>(set.frequency_hz.size());
  columns.assign(2 * set.curves.size(), {});
  for (std::size_t i = 0; i < set.curves.size(); ++i) {
    const ResponseCurve& curve = set.curves[i];
    Channel channel = result.channel_of(curve);
    if (!set.references.empty()) {
      const Channel& below = result.recording.channels[set.references[curve.reference]];
      channel.ratio = Channel::Ratio{channel.unit, channel.quantity, below.point, below.unit, below.quantity};
    }
    channel.name = result.curve_name(curve);
    channel.unit = result.curve_unit(curve);
    channel.quantity = quantity_of(channel.unit);
    out.channels.push_back(std::move(channel));
    for (std::size_t k = 0; k < set.frequency_hz.size(); ++k) {
      columns[i].push_back(set.driven[k] ? curve.ratio[k].real() : 0);
      columns[set.curves.size() + i].push_back(set.driven[k] ? curve.ratio[k].imag() : 0);
    }
  }
  return out;
}

}  // namespace vprism
