// map_writer.cpp: see map_writer.h.
#include "formats/map_writer.h"

#include <fmt/format.h>

#include "base/text.h"

namespace vprism {

std::string map_csv(const MapTable& map) {
  std::string out = csv_cell(map.value_name + "; " + map.y_name + " down and " + map.x_name + " across");
  for (const double x : map.x) out += fmt::format(",{:.10g}", x);
  out += "\n";
  for (std::size_t r = 0; r < map.y.size(); ++r) {
    out += fmt::format("{:.10g}", map.y[r]);
    for (std::size_t c = 0; c < map.x.size(); ++c)
      out += fmt::format(",{:.6g}", map.values[r * map.x.size() + c]);
    out += "\n";
  }
  return out;
}

std::string map_npy(const MapTable& map) {
  std::string head = fmt::format("{{'descr': '<f8', 'fortran_order': False, 'shape': ({}, {}), }}",
                                 map.y.size(), map.x.size());
  head.append(64 - (10 + head.size() + 1) % 64, ' ');
  head += '\n';
  std::string out("\x93NUMPY\x01\x00", 8);
  out += static_cast<char>(head.size() & 0xff);
  out += static_cast<char>(head.size() >> 8);
  out += head;
  out.append(reinterpret_cast<const char*>(map.values.data()), map.values.size() * sizeof(double));
  return out;
}

}  // namespace vprism
