// export.cpp: shapes for other programs.
//
// VTK: legacy text, POLYDATA with the points, lines between neighbours, and for each shape the real and
// imaginary parts as vectors and the size as a scalar (The VTK User's Guide, file formats). Universal: data
// set 15 nodes, 55 values at nodes (complex, one set for each shape), 58 the mean spectrum.
#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "commands/field/field.h"
#include "formats/array_file.h"

namespace vprism {

namespace {

/// Of a point along x, y, z: three variables as they are, one out of the plane.
std::array<std::complex<double>, 3> motion(const FieldResult& r, const FieldShape& s, std::size_t p) {
  std::array<std::complex<double>, 3> out{};
  const Plane plane = plane_of(r.points);
  for (std::size_t v = 0; v < std::min<std::size_t>(3, s.amplitude.size()); ++v) {
    std::complex<double> a = s.amplitude[v][p];
    if (std::isnan(a.real())) a = 0;
    out[r.variables.size() == 3 ? v : v == 0 ? plane.out : v == 1 ? plane.across : plane.up] = a;
  }
  return out;
}

}  // namespace

std::string field_vtk(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  std::string out =
      "# vtk DataFile Version 3.0\nVast Prism: shapes of a recording of points\nASCII\nDATASET POLYDATA\n";
  out += fmt::format("POINTS {} double\n", r.points.size());
  for (const Node& n : r.points) out += fmt::format("{:.9g} {:.9g} {:.9g}\n", n.x, n.y, n.z);
  const auto lines = joined_points(r.points);
  out += fmt::format("LINES {} {}\n", lines.size(), 3 * lines.size());
  for (const auto& [a, b] : lines) out += fmt::format("2 {} {}\n", a, b);
  out += fmt::format("POINT_DATA {}\n", r.points.size());
  for (std::size_t i = 0; i < r.shapes.size(); ++i) {
    const FieldShape& s = r.shapes[i];
    // Names hold no blanks in this format.
    const std::string name = fmt::format("{}_{:.6g}_Hz", i + 1, s.hz);
    out += "SCALARS amplitude_" + name + " double 1\nLOOKUP_TABLE default\n";
    for (std::size_t p = 0; p < r.points.size(); ++p) {
      const double size = FieldResult::size_at(s, p);
      out += std::isnan(size) ? "nan\n" : fmt::format("{:.9g}\n", size);
    }
    for (const bool imaginary : {false, true}) {
      out += std::string("VECTORS ") + (imaginary ? "imaginary_" : "real_") + name + " double\n";
      for (std::size_t p = 0; p < r.points.size(); ++p) {
        const auto m = motion(r, s, p);
        for (std::size_t d = 0; d < 3; ++d)
          out += fmt::format("{:.9g}{}", imaginary ? m[d].imag() : m[d].real(), d < 2 ? " " : "\n");
      }
    }
  }
  return out;
}

std::string field_universal(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  std::string out = "    -1\n    15\n";
  for (const Node& n : r.points)
    out += fmt::format("{:10d}{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", n.label, 0, 0, 8, n.x, n.y, n.z);
  out += "    -1\n";
  const std::string quantity = r.variables[0].quantity;
  const int kind = quantity == "displacement"   ? 8
                   : quantity == "velocity"     ? 11
                   : quantity == "acceleration" ? 12
                                                : 0;
  for (std::size_t i = 0; i < r.shapes.size(); ++i) {
    const FieldShape& s = r.shapes[i];
    out += "    -1\n    55\n";
    out += fmt::format("deflection shape {}\n{}\nNONE\nNONE\nNONE\n", i + 1,
                       clean_text(r.variables[0].name, 70));
    // Structural, frequency response, three translations, kind of quantity, complex single precision, three
    // values.
    out += fmt::format("{:10d}{:10d}{:10d}{:10d}{:10d}{:10d}\n", 1, 5, 2, kind, 5, 3);
    out += fmt::format("{:10d}{:10d}{:10d}{:10d}\n", 2, 1, 1, i + 1);
    out += fmt::format("{:13.5e}\n", s.hz);
    for (std::size_t p = 0; p < r.points.size(); ++p) {
      const auto m = motion(r, s, p);
      out += fmt::format("{:10d}\n", r.points[p].label);
      for (const std::complex<double>& v : m) out += fmt::format("{:13.5e}{:13.5e}", v.real(), v.imag());
      out += "\n";
    }
    out += "    -1\n";
  }
  const std::vector<double> mean = r.mean_power();
  out += "    -1\n    58\nmean spectrum over all points, RMS\nNONE\nNONE\nNONE\nNONE\n";
  out += fmt::format("{:5d}{:10d}{:5d}{:10d} {:<10}{:10d}{:4d} {:<10}{:10d}{:4d}\n", 12, 1, 0, 0, "NONE", 0,
                     0, "NONE", 0, 0);
  out += fmt::format("{:10d}{:10d}{:10d}{:13.5e}{:13.5e}{:13.5e}\n", 4, mean.size(), 1, 0.0, r.plan.bin_hz(),
                     0.0);
  const auto axis = [](int what, const std::string& label, const std::string& unit) {
    return fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20.20} {:<20.20}\n", what, 0, 0, 0, label, unit);
  };
  out += axis(18, "Frequency", "Hz") +
         axis(kind, quantity.empty() ? "Level" : quantity, r.variables[0].unit.text()) +
         axis(0, "NONE", "NONE") + axis(0, "NONE", "NONE");
  for (std::size_t k = 0; k < mean.size(); ++k)
    out += fmt::format("{:20.12e}{}", std::sqrt(mean[k]), k % 4 == 3 || k + 1 == mean.size() ? "\n" : "");
  return out + "    -1\n";
}

void write_field_hdf5(const FieldReport& listed, const std::string& path) {
  const FieldResult& r = listed.result;
  const std::size_t points = r.points.size(), variables = r.variables.size();
  std::vector<double> places, labels, hz, damping, real, imaginary, mean, greatest, frequencies, rms;
  for (const Node& n : r.points)
    places.insert(places.end(), {n.x, n.y, n.z}), labels.push_back(static_cast<double>(n.label));
  for (const FieldShape& s : r.shapes) {
    hz.push_back(s.hz), damping.push_back(s.damping);
    for (std::size_t p = 0; p < points; ++p)
      for (std::size_t v = 0; v < variables; ++v)
        real.push_back(s.amplitude[v][p].real()), imaginary.push_back(s.amplitude[v][p].imag());
  }
  for (std::size_t k = 0; k < r.plan.bins(); ++k) {
    frequencies.push_back(r.frequency_hz(k));
    for (std::size_t v = 0; v < variables; ++v)
      mean.push_back(std::sqrt(r.sums.mean_power[v][k])),
          greatest.push_back(std::sqrt(r.sums.max_power[v][k]));
  }
  for (std::size_t p = 0; p < points; ++p)
    for (std::size_t v = 0; v < variables; ++v) rms.push_back(r.sums.rms[v][p]);
  std::string names;
  for (const Channel& v : r.variables) names += (names.empty() ? "" : "\n") + v.name;
  const std::vector<std::pair<std::string, std::string>> texts = {{"unit", r.variables[0].unit.text()},
                                                                  {"variables", names}};
  std::vector<NamedArray> arrays = {
      {"/points/coordinates", {points, 3}, places, false, {{"unit", "m"}}, {}},
      {"/points/number", {points}, labels, false, {}, {}},
      {"/points/rms_in_time", {points, variables}, rms, false, texts, {}},
      {"/spectrum/frequency_hz", {frequencies.size()}, frequencies, false, {}, {}},
      {"/spectrum/mean_rms", {frequencies.size(), variables}, mean, false, texts, {}},
      {"/spectrum/greatest_rms", {frequencies.size(), variables}, greatest, false, texts, {}}};
  if (!r.shapes.empty()) {
    arrays.push_back({"/shapes/frequency_hz", {hz.size()}, hz, false, {}, {}});
    arrays.push_back({"/shapes/damping_ratio", {hz.size()}, damping, false, {}, {}});
    arrays.push_back({"/shapes/real", {hz.size(), points, variables}, real, false, texts, {}});
    arrays.push_back({"/shapes/imaginary", {hz.size(), points, variables}, imaginary, false, texts, {}});
  }
  write_arrays_hdf5(path, arrays, {{"layout", "vprism field 1"}});
}

ShapeSet read_field_hdf5(const std::string& path) {
  const std::vector<NamedArray> arrays = read_arrays_hdf5(
      path,
      {"/points/coordinates", "/points/number", "/shapes/frequency_hz", "/shapes/real", "/shapes/imaginary"});
  if (arrays.size() != 5 || arrays[3].shape.size() != 3 || arrays[4].shape != arrays[3].shape ||
      arrays[0].shape != std::vector<std::size_t>{arrays[3].shape[1], 3} ||
      arrays[1].values.size() != arrays[3].shape[1] || arrays[2].values.size() != arrays[3].shape[0])
    throw Error(Status::input, path + ": holds no shapes; give a file that field wrote with --also hdf5");
  ShapeSet out;
  const std::size_t points = arrays[3].shape[1], variables = arrays[3].shape[2];
  for (std::size_t p = 0; p < points; ++p)
    out.points.push_back({static_cast<std::int64_t>(arrays[1].values[p]), arrays[0].values[3 * p],
                          arrays[0].values[3 * p + 1], arrays[0].values[3 * p + 2]});
  for (std::size_t i = 0; i < arrays[3].shape[0]; ++i) {
    FieldShape shape;
    shape.hz = arrays[2].values[i];
    shape.amplitude.assign(variables, std::vector<std::complex<double>>(points));
    for (std::size_t p = 0; p < points; ++p)
      for (std::size_t v = 0; v < variables; ++v) {
        const std::size_t at = (i * points + p) * variables + v;
        shape.amplitude[v][p] = {arrays[3].values[at], arrays[4].values[at]};
      }
    finish_shape(shape);
    out.shapes.push_back(std::move(shape));
  }
  return out;
}

}  // namespace vprism
