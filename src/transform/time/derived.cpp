// derived.cpp: see derived.h.
#include "transform/time/derived.h"

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {
constexpr const char* motions[] = {"displacement", "velocity", "acceleration"};
}

int motion_order(std::string_view name) {
  for (int order = 0; order < 3; ++order)
    if (name == motions[order]) return order;
  throw Error(Status::usage, unknown_name("quantity", name, {motions[0], motions[1], motions[2]}));
}

int motion_order(const Channel& channel) {
  const std::string quantity = quantity_of(times_seconds(channel.unit, 0).first);
  for (int order = 0; order < 3; ++order)
    if (quantity == motions[order]) return order;
  throw Error(Status::analysis, "channel \"" + channel.name + "\" in " + channel.unit.label() +
                                    " is no displacement, velocity or acceleration; nothing to derive");
}

double derived_gain(double hz, int steps) {
  const double omega = 2 * std::numbers::pi * std::abs(hz);
  return omega == 0 ? (steps == 0 ? 1 : 0) : std::pow(omega, steps);
}

void derive(Spectrum& spectrum, int steps, double factor) {
  for (std::size_t k = 0; k < spectrum.bins(); ++k) {
    const double hz = spectrum.frequency_hz(k), gain = factor * derived_gain(hz, steps);
    spectrum.power[k] *= gain * gain;
    for (auto& stretch : spectrum.stretches) stretch[k] *= gain * gain;
    if (!spectrum.first.empty())
      spectrum.first[k] *= std::polar(gain, (hz < 0 ? -0.5 : 0.5) * std::numbers::pi * steps);
  }
  if (steps != 0) spectrum.mean = 0;
}

double derive(Channel& channel, int steps) {
  const auto [unit, factor] = times_seconds(channel.unit, -steps);
  channel.unit = unit;
  channel.quantity = quantity_of(unit);
  return factor;
}

}  // namespace vprism
