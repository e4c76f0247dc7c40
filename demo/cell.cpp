// cell.cpp: cell-field.h5. A scanning vibrometer sees the mirror cell ring after a tap: a rectangular plate
// held at its edges, two modes.
#include <fmt/format.h>

#include <array>

#include "formats/array_file.h"
#include "recordings.h"

namespace vprism::demo {

namespace {

constexpr std::size_t across = 15, up = 11, cell_frames = 1024;
constexpr double cell_rate = 2048, cell_wide = 1.4, cell_high = 1.0, cell_noise = 0.004;

struct CellMode {
  int waves_x, waves_y;                      ///< Half waves along the sides.
  double hz, damping, amplitude, phase_deg;  ///< mm/s at the first frame.
};
constexpr std::array<CellMode, 2> cell_modes = {
    {{1, 1, 62.1, 0.011, 1.6, 25}, {2, 1, 148.7, 0.006, 0.9, -70}}};

}  // namespace

void write_cell_field(const std::string& hdf5) {
  Noise noise(71);
  std::vector<double> places, values(cell_frames * across * up);
  for (std::size_t r = 0; r < up; ++r)
    for (std::size_t c = 0; c < across; ++c) {
      // The outermost points stand a little within the edge.
      const double x = cell_wide * (static_cast<double>(c) + 0.5) / across,
                   y = cell_high * (static_cast<double>(r) + 0.5) / up;
      places.insert(places.end(), {x, y, 0});
      for (std::size_t f = 0; f < cell_frames; ++f) {
        const double t = static_cast<double>(f) / cell_rate;
        double v = cell_noise * noise();
        for (const CellMode& m : cell_modes) {
          const double shape = std::sin(m.waves_x * std::numbers::pi * x / cell_wide) *
                               std::sin(m.waves_y * std::numbers::pi * y / cell_high);
          const double w = two_pi * m.hz;
          v += m.amplitude * shape * std::exp(-m.damping * w * t) *
               std::cos(w * std::sqrt(1 - m.damping * m.damping) * t + m.phase_deg * std::numbers::pi / 180);
        }
        values[f * across * up + r * across + c] = v;
      }
    }
  write_arrays_hdf5(hdf5,
                    {{"/scan/velocity",
                      {cell_frames, across * up, 1},
                      std::move(values),
                      true,
                      {{"name", "velocity"}, {"unit", "mm/s"}},
                      {{"rate_hz", cell_rate}}},
                     {"/scan/coordinates", {across * up, 3}, std::move(places), false, {{"unit", "m"}}, {}}});
}

std::string cell_truth() {
  std::string out = fmt::format(
      "\n## cell-field.h5\n\n- Scanning vibrometer on the mirror cell after a tap, out of plane: {} x {} "
      "points on {:g} m x {:g} m, "
      "{} frames at {:g} Hz, data sets [frame, point, component] and coordinates.\n- A plate held at its "
      "edges; noise {:g} mm/s RMS. "
      "The first mode, half a width from the cooler's second harmonic at 62.4 Hz, is the one that smears.\n\n"
      "| mode | half waves in x | in y | frequency (Hz) | damping ratio | mm/s in the middle of a bulge at "
      "the first frame |\n|---|---|---|---|---|---|\n",
      across, up, cell_wide, cell_high, cell_frames, cell_rate, cell_noise);
  for (std::size_t m = 0; m < cell_modes.size(); ++m)
    out +=
        fmt::format("| {} | {} | {} | {:g} | {:g} | {:g} |\n", m + 1, cell_modes[m].waves_x,
                    cell_modes[m].waves_y, cell_modes[m].hz, cell_modes[m].damping, cell_modes[m].amplitude);
  return out;
}

}  // namespace vprism::demo
