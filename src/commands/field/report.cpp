// report.cpp: a recording of many points as text, JSON, findings and tables.
#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <numbers>

#include "base/text.h"
#include "commands/field/field.h"

namespace vprism {

namespace {

constexpr double to_degrees = 180 / std::numbers::pi;
const TextTable::Align leftmost = TextTable::Align::left;

std::string place_text(const Node& n) {
  return fmt::format("{} ({}, {}, {})", n.label, format_number(n.x, 4), format_number(n.y, 4),
                     format_number(n.z, 4));
}

std::string hz_text(const FieldShape& s) {
  return s.hz_std > 0 ? format_uncertain(s.hz, s.hz_std, "Hz") : format_quantity(s.hz, "Hz", 6);
}

std::string shape_text(const FieldShape& s) {
  return s.standing() ? "standing" : fmt::format("not standing (phase collinearity {:.2f})", s.collinearity);
}

std::string list(const std::vector<std::size_t>& points, const FieldResult& r) {
  std::string out;
  for (std::size_t i = 0; i < std::min<std::size_t>(8, points.size()); ++i)
    out += (i ? ", " : "") + std::to_string(r.points[points[i]].label);
  return out + (points.size() > 8 ? ", ..." : "");
}

std::vector<Caution> cautions_of(const FieldReport& listed, const FieldTaskSettings& settings) {
  const FieldResult& r = listed.result;
  std::vector<Caution> out = r.cautions;
  const auto add = [&](const char* code, Severity severity, std::string text, std::string remedy) {
    out.push_back({code, severity, "", std::move(text), std::move(remedy)});
  };
  if (r.decays && r.left > 0.03)
    add("ring-down-cut", Severity::warning,
        fmt::format("the motion dies away and is still {} of its first level when the record ends; to 1% it "
                    "would take {}",
                    format_number(100 * r.left, 2) + "%", format_quantity(r.falls_to_1_s, "s", 3)),
        "record longer where levels matter; frequency and damping are not harmed, since the cut is part of "
        "the fit");
  if (r.before > 0)
    add("frames-before", Severity::note,
        fmt::format("the ring-down begins at frame {}; those before it are left out", r.before),
        "choose others with --frames");
  if (r.behind > 0)
    add("frames-behind", Severity::note,
        fmt::format("from frame {} on there is noise alone; left out", r.behind),
        "choose others with --frames");
  if (!r.ruined.empty()) {
    std::string frames;
    for (std::size_t i = 0; i < std::min<std::size_t>(8, r.ruined.size()); ++i)
      frames += (i ? ", " : "") + std::to_string(r.ruined[i]);
    add("frames-ruined", Severity::warning,
        fmt::format("{} frames have more than eight times the power of all near them and are left out: {}{}",
                    r.ruined.size(), frames, r.ruined.size() > 8 ? ", ..." : ""),
        "look at them in --spectra-of or the export");
  }
  if (!r.decays && r.left > 3)
    add("motion-grows", Severity::note,
        fmt::format("the level at the end is {:.2g} times that at the start", r.left),
        "choose frames with --frames");
  if (!r.sums.bridged.empty())
    add("values-bridged", Severity::warning,
        fmt::format("{} points miss up to 5% of their values: {}; bridged by straight lines",
                    r.sums.bridged.size(), list(r.sums.bridged, r)),
        "leave the frames out with --frames, or export again");
  if (!r.sums.left_out.empty())
    add("points-left-out", Severity::warning,
        fmt::format("{} points miss more than 5% of their values and are left out: {}",
                    r.sums.left_out.size(), list(r.sums.left_out, r)),
        "export them again, or choose others with --region");
  if (settings.field.frame_step > 1)
    add("frames-skipped", Severity::note,
        fmt::format("every {}th frame: what lies above {} folds back", settings.field.frame_step,
                    format_quantity(r.plan.rate_hz / 2, "Hz", 4)),
        "take all frames where that matters");
  for (std::size_t v = 1; v < r.variables.size(); ++v)
    if (r.variables[v].unit.text() != r.variables[0].unit.text()) {
      add("units-differ", Severity::note,
          "variables of different units; mean spectrum and peaks are those of \"" + r.variables[0].name +
              "\" and others in " + r.variables[0].unit.text(),
          "choose variables with --variable");
      break;
    }
  return out;
}

}  // namespace

void report_field(const FieldReport& listed, const FieldTaskSettings& settings, Delivery& delivery) {
  const FieldResult& r = listed.result;
  delivery.inputs.push_back(listed.facts);
  for (Caution& c : cautions_of(listed, settings)) delivery.cautions.push_back(std::move(c));
  const std::string unit = r.variables[0].unit.label();
  std::string names;
  for (const Channel& v : r.variables)
    names += (names.empty() ? "" : ", ") + v.name + (v.unit.text() == "1" ? "" : " (" + v.unit.label() + ")");
  delivery.text += clean_text(listed.recording.file) + "\n" +
                   fmt::format("  {}: {} points, {} frames at {} ({}); {}\n", listed.recording.format,
                               listed.recording.points.size(), listed.recording.frames,
                               format_quantity(listed.recording.axis.rate_hz(), "Hz", 7),
                               listed.recording.axis.source, names);
  delivery.text +=
      fmt::format("  looked at: {} points, {} frames, {}; bins {} apart\n", r.sums.points,
                  r.plan.frames.size(), r.plan.window.name(), format_quantity(r.plan.bin_hz(), "Hz", 4));
  delivery.text +=
      r.decays ? fmt::format("  the motion dies away: the last tenth is at {} of the first; {}\n",
                             format_number(100 * r.left, 2) + "%",
                             r.left > 0.03 ? "the record did not catch the whole ring-down (1% after " +
                                                 format_quantity(r.falls_to_1_s, "s", 3) + ")"
                                           : "the record caught the whole ring-down")
               : std::string("  the motion does not die away within the record\n");
  delivery.text += "\n";
  if (r.shapes.empty()) {
    delivery.text += "  no peak stands out of the mean spectrum\n";
  } else {
    const bool damped = r.shapes[0].damping > 0;
    std::vector<TextTable::Column> columns = {{"no."}, {"frequency"}};
    if (damped) columns.push_back({"damping"});
    for (const std::string& title : {"mean level (" + unit + ")", "greatest (" + unit + ")"})
      columns.push_back({title});
    columns.push_back({"at point (x, y, z in m)", leftmost});
    columns.push_back({"shape", leftmost});
    TextTable table(columns);
    for (std::size_t i = 0; i < r.shapes.size(); ++i) {
      const FieldShape& s = r.shapes[i];
      std::vector<std::string> row = {std::to_string(i + 1), hz_text(s)};
      if (damped)
        row.push_back(s.damping_std > 0 ? format_uncertain(100 * s.damping, 100 * s.damping_std, "%") : "");
      for (const double level : {s.mean_level, s.max_level}) row.push_back(format_number(level, 4));
      row.push_back(place_text(r.points[s.max_point]));
      row.push_back(shape_text(s));
      table.add(std::move(row));
    }
    delivery.text += table.text();
  }
  if (r.shapes.size() > 1) {
    std::vector<TextTable::Column> columns = {{"likeness", leftmost}};
    for (std::size_t i = 0; i < r.shapes.size(); ++i) columns.push_back({std::to_string(i + 1)});
    TextTable table(columns);
    for (std::size_t i = 0; i < r.shapes.size(); ++i) {
      std::vector<std::string> row = {std::to_string(i + 1)};
      for (const double a : r.assurances[i]) row.push_back(fmt::format("{:.3f}", a));
      table.add(std::move(row));
    }
    delivery.text += "\n  modal assurance criterion of the shapes with each other:\n" + table.text();
  }
  Json versus = Json::array();
  if (!settings.versus.empty()) {
    TextTable table({{"there"}, {"here"}, {"frequency"}, {"mean level"}, {"likeness"}, {"", leftmost}});
    for (const ShapePair& p : listed.pairs) {
      const bool both = p.a && p.b;
      table.add({p.a ? format_quantity(listed.versus[*p.a].hz, "Hz", 6) : "",
                 p.b ? format_quantity(r.shapes[*p.b].hz, "Hz", 6) : "",
                 both ? fmt::format("{:+.4g} Hz", p.delta_hz) : "",
                 both ? fmt::format("{:+.2f} dB", p.delta_db) : "",
                 both ? fmt::format("{:.3f}", p.assurance) : "",
                 both  ? "in both"
                 : p.a ? "gone"
                       : "new"});
      versus.push_back({{"there_hz", p.a ? number(listed.versus[*p.a].hz) : Json(nullptr)},
                        {"here_hz", p.b ? number(r.shapes[*p.b].hz) : Json(nullptr)},
                        {"delta_hz", both ? number(p.delta_hz) : Json(nullptr)},
                        {"delta_db", both ? number(p.delta_db) : Json(nullptr)},
                        {"assurance", both ? number(p.assurance) : Json(nullptr)}});
    }
    delivery.text += "\n  against " + clean_text(settings.versus) + ":\n" + table.text();
  }
  delivery.text += "\n";
  Json peaks = Json::array();
  for (const FieldShape& s : r.shapes) {
    Json one{{"frequency_hz", number(s.hz)},
             {"frequency_std_hz", s.hz_std > 0 ? number(s.hz_std) : Json(nullptr)},
             {"mean_level", number(s.mean_level)},
             {"max_level", number(s.max_level)},
             {"max_point", r.points[s.max_point].label},
             {"phase_point", r.points[s.phase_point].label},
             {"collinearity", number(s.collinearity)},
             {"standing", s.standing()}};
    if (s.damping > 0) one["damping_ratio"] = number(s.damping), one["damping_std"] = number(s.damping_std);
    peaks.push_back(std::move(one));
    Finding f;
    f.kind = s.damping > 0 ? "resonance" : "tone";
    f.recording = listed.recording.file, f.channel = r.variables[0].name;
    f.frequency_hz = s.hz, f.frequency_std_hz = s.hz_std;
    f.level_rms = s.mean_level / std::sqrt(2.0), f.unit = r.variables[0].unit.text();
    f.text = fmt::format("{} at {}, {}, greatest at point {}", s.damping > 0 ? "a mode" : "a motion",
                         hz_text(s), shape_text(s), r.points[s.max_point].label);
    if (s.damping > 0) {
      f.evidence.push_back(fmt::format("free decay of {} points at once: damping {}", r.sums.points,
                                       format_uncertain(100 * s.damping, 100 * s.damping_std, "%")));
      f.numbers = {{"damping_ratio", s.damping}, {"damping_std", s.damping_std}};
    }
    f.evidence.push_back(fmt::format("mean amplitude over all points {}, greatest {}",
                                     format_quantity(s.mean_level, unit, 4),
                                     format_quantity(s.max_level, unit, 4)));
    delivery.findings.push_back(std::move(f));
  }
  delivery.results.push_back({{"channel", r.variables[0].name},
                              {"unit", r.variables[0].unit.text()},
                              {"points", r.sums.points},
                              {"frames", r.plan.frames.size()},
                              {"rate_hz", number(r.plan.rate_hz)},
                              {"bin_hz", number(r.plan.bin_hz())},
                              {"window", r.plan.window.name()},
                              {"dies_away", r.decays},
                              {"left", number(r.left)},
                              {"phase_point", r.points[r.phase_point].label},
                              {"peaks", std::move(peaks)},
                              {"assurance", r.assurances},
                              {"versus", std::move(versus)}});
}

std::string field_csv(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  std::string out = "point,x (m),y (m),z (m)";
  for (std::size_t v = 0; v < r.variables.size(); ++v) {
    const std::string name = r.variables[v].name, unit = " (" + r.variables[v].unit.text() + ")";
    for (const std::string& column :
         {name + " RMS in time (" + listed.recording.variables[0].unit.text() + ")",
          name + " highest bin RMS" + unit, name + " frequency there (Hz)"})
      out += "," + csv_cell(column);
    for (const FieldShape& s : r.shapes)
      out += "," + csv_cell(fmt::format("{} amplitude at {:.6g} Hz{}", name, s.hz, unit)) + "," +
             csv_cell(fmt::format("{} phase at {:.6g} Hz (deg)", name, s.hz));
  }
  out += "\n";
  // Millions of numbers: rows are put into words on all cores.
  constexpr std::size_t together = 512;
  std::vector<std::string> parts((r.points.size() + together - 1) / together);
  oneapi::tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t part) {
    fmt::memory_buffer rows;
    const auto cell = [&](double v) {
      if (std::isnan(v))
        rows.push_back(',');
      else
        fmt::format_to(std::back_inserter(rows), ",{:.8g}", v);
    };
    for (std::size_t p = part * together; p < std::min(r.points.size(), (part + 1) * together); ++p) {
      const Node& n = r.points[p];
      fmt::format_to(std::back_inserter(rows), "{},{:.9g},{:.9g},{:.9g}", n.label, n.x, n.y, n.z);
      for (std::size_t v = 0; v < r.variables.size(); ++v) {
        cell(r.sums.rms[v][p]), cell(std::sqrt(r.sums.top_power[v][p])), cell(r.sums.top_hz[v][p]);
        for (const FieldShape& s : r.shapes)
          cell(std::abs(s.amplitude[v][p])), cell(std::arg(s.amplitude[v][p]) * to_degrees);
      }
      rows.push_back('\n');
    }
    parts[part].assign(rows.data(), rows.size());
  });
  for (const std::string& part : parts) out += part;
  return out;
}

std::string field_spectrum_csv(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  std::string out = "frequency (Hz)";
  for (const Channel& v : r.variables)
    for (const char* what : {" mean RMS", " greatest RMS"})
      out += "," + csv_cell(v.name + what + " (" + v.unit.text() + ")") +
             (what[1] == 'g' ? "," + csv_cell(v.name + " greatest at point") : "");
  for (const std::size_t p : r.plan.kept_points)
    for (const Channel& v : r.variables)
      out += "," +
             csv_cell(fmt::format("point {} {} amplitude ({})", r.points[p].label, v.name, v.unit.text())) +
             "," + csv_cell(fmt::format("point {} {} phase (deg)", r.points[p].label, v.name));
  out += "\n";
  for (std::size_t k = 0; k < r.plan.bins(); ++k) {
    out += fmt::format("{:.10g}", r.frequency_hz(k));
    for (std::size_t v = 0; v < r.variables.size(); ++v)
      out += fmt::format(",{:.8g},{:.8g},{}", std::sqrt(r.sums.mean_power[v][k]),
                         std::sqrt(r.sums.max_power[v][k]), r.points[r.sums.max_point[v][k]].label);
    for (const auto& point : r.sums.kept)
      for (const auto& variable : point)
        out += variable.empty()
                   ? std::string(",,")
                   : fmt::format(",{:.8g},{:.4f}", std::abs(variable[k]), std::arg(variable[k]) * to_degrees);
    out += "\n";
  }
  return out;
}

std::string field_lines_csv(const FieldReport& listed) {
  const FieldResult& r = listed.result;
  std::string out = "line,point,distance (m)";
  for (const FieldShape& s : r.shapes)
    for (const Channel& v : r.variables)
      out += "," + csv_cell(fmt::format("{} amplitude at {:.6g} Hz ({})", v.name, s.hz, v.unit.text())) +
             "," + csv_cell(fmt::format("{} phase at {:.6g} Hz (deg)", v.name, s.hz));
  out += "\n";
  for (std::size_t l = 0; l < listed.lines.size(); ++l)
    for (std::size_t n = 0; n < listed.lines[l].points.size(); ++n) {
      const std::size_t p = listed.lines[l].points[n];
      out += fmt::format("{},{},{:.9g}", l + 1, r.points[p].label, listed.lines[l].along[n]);
      for (const FieldShape& s : r.shapes)
        for (const auto& variable : s.amplitude)
          out += fmt::format(",{:.8g},{:.4f}", std::abs(variable[p]), std::arg(variable[p]) * to_degrees);
      out += "\n";
    }
  return out;
}

}  // namespace vprism
