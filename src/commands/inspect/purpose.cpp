// purpose.cpp: see purpose.h.
#include "commands/inspect/purpose.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "formats/containers.h"
#include "formats/points.h"
#include "frame/shell_word.h"

namespace vprism {

namespace {

/// Points whose places the file holds, or many that each have two or three components.
bool is_field(const Recording& r) {
  if (r.format.find("HDF5") == std::string::npos) return false;
  constexpr std::size_t many = 16;
  try {
    const auto source = open_points(r.file, {});
    const PointRecording& points = source->recording();
    const bool placed = std::none_of(points.cautions.begin(), points.cautions.end(),
                                     [](const Caution& caution) { return caution.code == "places-unknown"; });
    return placed ||
           (points.points.size() > many && points.variables.size() > 1 && points.variables.size() <= 3);
  } catch (const std::exception&) {
    return false;
  }
}

bool in_unit_of(const Channel& c, const char* unit) {
  return c.unit.known() && !c.unit.dimensionless() && c.unit.converts_to(Unit::parse(unit));
}

/// A force or a hammer beside motions: what drives and what answers.
const Channel* driving_channel(const Recording& r) {
  const auto drives = [](const Channel& c) {
    const std::string name = lower_case(c.name);
    return in_unit_of(c, "N") || name.find("force") != std::string::npos ||
           name.find("hammer") != std::string::npos || name.find("excitation") != std::string::npos;
  };
  const auto moves = [](const Channel& c) {
    return in_unit_of(c, "m/s^2") || in_unit_of(c, "m/s") || in_unit_of(c, "m");
  };
  const auto found = std::find_if(r.channels.begin(), r.channels.end(), drives);
  return found != r.channels.end() && std::any_of(r.channels.begin(), r.channels.end(), moves) ? &*found
                                                                                               : nullptr;
}

}  // namespace

Purpose purpose_of(const Recording& r, const std::string& typed) {
  const std::string file = shell_word(r.file);
  const auto line = [&](const std::string& command, const std::string& options = "") {
    return "vprism " + command + " " + file + options + typed;
  };
  if (is_field(r)) return {"a field: many points, frame by frame", {"vprism field " + file}, true};
  if (r.axis.domain == Axis::Domain::frequency) {
    if (r.complex)
      return {"responses or complex spectra over frequency",
              {line("response"), line("spectrum"), line("compare", " OTHER")}};
    return {"a spectrum", {line("spectrum"), line("limits", " --limit LINE.csv"), line("compare", " OTHER")}};
  }
  if (r.axis.domain == Axis::Domain::other)
    return {"a scan along \"" + r.axis.name + "\"",
            {in_unit_of({"", r.axis.unit}, "m")
                 ? line("spectrum", " --delay-line " + shell_word(r.axis.unit.text()))
                 : line("spectrum", " --axis-scale FACTOR")}};
  if (!(r.axis.interval > 0)) return {"samples without times or a rate", {line("inspect", " --rate RATE")}};
  if (r.samples >= 0 && r.samples < 16) return {"too few samples for a spectrum", {line("inspect")}};
  if (r.complex) return {"a complex capture", {line("spectrum"), line("spectrogram"), line("occupancy")}};
  if (const Channel* drive = driving_channel(r))
    return {"what drives a structure, and its answers",
            {line("response", " --reference " + shell_word(drive->name)), line("survey")}};
  if (r.axis.stamped)
    return {"samples at uneven steps, as solvers and event loggers write them",
            {line("spectrum"), line("distortion"), line("survey")}};
  return {"a recording in time", {line("survey"), line("identify"), line("spectrum")}};
}

std::string purpose_text(const Purpose& purpose) {
  std::string out = "  " + clean_text(purpose.what) + "; for example\n";
  for (const std::string& line : purpose.next) out += "    " + clean_text(line, 400) + "\n";
  return out;
}

}  // namespace vprism
