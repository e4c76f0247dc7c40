// calibration.cpp: see calibration.h. Rules are text so that the command line and case files share them.
#include "signal/calibration.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

[[noreturn]] void refuse_calibration(const std::string& line) { throw Error(Status::usage, line); }

const std::vector<std::string>& step_names() {
  static const std::vector<std::string> names = {"probe",  "gain",      "offset", "sensitivity",
                                                 "linear", "two-point", "table",  "unit"};
  return names;
}

double parse_factor(std::string_view name, std::string_view text) {
  std::string_view rest;
  const double value = parse_leading_number(text, rest);
  if (!rest.empty() && lower_case(rest) != "x")
    refuse_calibration("\"" + std::string(name) + " " + clean_text(text) +
                       "\": a plain number is expected, for example \"" + std::string(name) + " 10\"");
  if (value == 0) refuse_calibration("\"" + std::string(name) + " 0\" would remove the signal");
  return value;
}

/// "100 mV/g", "10 mV/(m/s2)": splits at the first '/'.
void apply_sensitivity(Calibration& c, std::string_view text) {
  const std::size_t slash = text.find('/');
  if (slash == std::string_view::npos || trimmed(text.substr(slash + 1)).empty())
    refuse_calibration("\"sensitivity " + clean_text(text) +
                       "\": a value per unit is expected, for example \"sensitivity 100 mV/g\"");
  const Quantity out = parse_any_quantity(text.substr(0, slash));
  if (out.value == 0) refuse_calibration("a sensitivity of zero can't be divided by");
  std::string_view per = trimmed(text.substr(slash + 1));
  if (per.size() > 2 && per.front() == '(' && per.back() == ')') per = per.substr(1, per.size() - 2);
  const Unit physical = Unit::parse(per);
  // Recorders that name no unit store what the sensor puts out: volts, or coulombs of a charge output.
  if (c.unit.dimensionless()) c.unit = Unit::parse(out.unit.converts_to(Unit::parse("C")) ? "C" : "V");
  if (!out.unit.converts_to(c.unit))
    refuse_calibration("\"sensitivity " + clean_text(text) + "\" does not fit a channel in " + c.unit.text());
  const double sensitivity = out.unit.convert(out.value, c.unit);
  c.factor /= sensitivity;
  c.offset /= sensitivity;
  c.unit = physical;
}

/// "0.5=0 4.5=10 bar": pairs, then the unit.
std::vector<std::pair<double, double>> parse_points(const std::string& name, std::string_view text,
                                                    std::string_view& unit) {
  std::vector<std::pair<double, double>> points;
  while (!text.empty()) {
    const std::string_view word = text.substr(0, text.find_first_of(" \t"));
    const std::size_t mark = word.find('=');
    if (mark == std::string_view::npos) break;
    std::string_view rest;
    const double x = parse_leading_number(word.substr(0, mark), rest);
    if (!rest.empty())
      refuse_calibration("\"" + clean_text(word) + "\": write plain numbers, STORED=PHYSICAL");
    const double y = parse_leading_number(word.substr(mark + 1), rest);
    if (!rest.empty())
      refuse_calibration("\"" + clean_text(word) +
                         "\": write plain numbers, STORED=PHYSICAL, and the unit at the end");
    points.emplace_back(x, y);
    text = trimmed(text.substr(word.size()));
  }
  unit = text;
  std::sort(points.begin(), points.end());
  for (std::size_t i = 1; i < points.size(); ++i)
    if (points[i].first == points[i - 1].first)
      refuse_calibration("\"" + name + "\": two points at " + format_number(points[i].first, 9));
  if (points.size() < 2 || unit.empty() || (name == "two-point" && points.size() != 2))
    refuse_calibration("\"" + name + "\": write \"" + name + " X=Y X=Y" + (name == "table" ? " ..." : "") +
                       " UNIT\", for example \"" + name + " 0.5=0 4.5=10 bar\"");
  return points;
}

void apply_step(Calibration& c, const std::string& step) {
  const std::string_view text = trimmed(step);
  const std::size_t space = text.find_first_of(" \t");
  const std::string name = lower_case(text.substr(0, space));
  const std::string_view value =
      space == std::string_view::npos ? std::string_view() : trimmed(text.substr(space));
  if (!name.empty() && value.empty()) {
    for (const std::string& known : step_names())
      if (name == known)
        refuse_calibration(
            "\"" + name +
            "\" needs a value, for example \"probe 10\", \"gain 20 dB\", \"sensitivity 100 mV/g\"");
  }
  if (!c.table.empty() && name != "unit")
    refuse_calibration("\"" + name + "\" after a table; a table is the last step but for \"unit\"");
  if (name == "probe") {
    const double factor = parse_factor(name, value);
    c.factor *= factor;
    c.offset *= factor;
  } else if (name == "gain") {
    std::string_view rest;
    const double number = parse_leading_number(value, rest);
    const double gain = lower_case(rest) == "db" ? std::pow(10.0, number / 20) : parse_factor(name, value);
    c.factor /= gain;
    c.offset /= gain;
  } else if (name == "offset") {
    const Quantity q = parse_any_quantity(value);
    const bool bare = q.unit.text() == "1";
    if (!bare && c.unit.dimensionless()) c.unit = q.unit;
    c.offset += bare ? q.value : q.unit.convert(q.value, c.unit);
  } else if (name == "sensitivity") {
    apply_sensitivity(c, value);
  } else if (name == "unit") {
    c.unit = Unit::parse(value);
  } else if (name == "two-point" || name == "table") {
    std::string_view unit;
    const auto points = parse_points(name, value, unit);
    c.unit = Unit::parse(unit);
    if (name == "table") {
      c.table = points;
    } else {
      const double slope = (points[1].second - points[0].second) / (points[1].first - points[0].first);
      c.factor *= slope;
      c.offset = slope * (c.offset - points[0].first) + points[0].second;
    }
  } else if (name == "linear") {
    std::string_view rest;
    const double a = parse_leading_number(value, rest);
    const double b = parse_leading_number(rest, rest);
    if (rest.empty()) refuse_calibration("\"linear " + clean_text(value) + "\": write \"linear A B UNIT\"");
    c.factor *= a;
    c.offset = a * c.offset + b;
    c.unit = Unit::parse(rest);
  } else {
    refuse_calibration(unknown_name("calibration", name, step_names()));
  }
}

}  // namespace

double Calibration::value(double stored) const {
  const double x = factor * stored + offset;
  if (table.empty() || std::isnan(x)) return x;
  auto right =
      std::upper_bound(table.begin(), table.end(), x, [](double v, const auto& p) { return v < p.first; });
  right = std::clamp(right, table.begin() + 1, table.end() - 1);
  const auto& [x0, y0] = *(right - 1);
  const auto& [x1, y1] = *right;
  return y0 + (y1 - y0) * (x - x0) / (x1 - x0);
}

CalibrationRule parse_calibration_rule(std::string_view text) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string_view::npos || trimmed(text.substr(0, colon)).empty())
    refuse_calibration("\"" + clean_text(text) +
                       "\": write \"CHANNEL: calibration\", for example \"CH1: probe 10\"");
  CalibrationRule rule;
  rule.channels = std::string(trimmed(text.substr(0, colon)));
  rule.text = std::string(text);
  for (const std::string& step : split(text.substr(colon + 1), ',')) {
    if (trimmed(step).empty()) refuse_calibration("\"" + clean_text(text) + "\" has an empty step");
    rule.steps.emplace_back(trimmed(step));
  }
  bool tabled = false;
  for (const std::string& step : rule.steps) {
    if (tabled && !starts_with(step, "unit"))
      refuse_calibration("\"" + clean_text(text) + "\": a table is the last step but for \"unit\"");
    tabled = tabled || starts_with(step, "table");
    // Values are checked here, whether units fit only when the channel is known.
    const std::string_view word = std::string_view(step).substr(0, step.find_first_of(" \t"));
    Calibration trial;
    if (word == "sensitivity" || word == "offset") trial.unit = Unit::parse("V");
    if (word == "offset") {
      (void)parse_any_quantity(trimmed(std::string_view(step).substr(word.size())));
    } else if (word == "sensitivity") {
      const std::size_t slash = step.find('/');
      if (slash != std::string::npos)
        trial.unit = parse_any_quantity(std::string_view(step).substr(word.size(), slash - word.size())).unit;
      apply_step(trial, step);
    } else {
      apply_step(trial, step);
    }
  }
  return rule;
}

UnitRule parse_unit_rule(std::string_view text) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string_view::npos || trimmed(text.substr(0, colon)).empty())
    refuse_calibration("\"" + clean_text(text) + "\": write \"CHANNEL: UNIT\", for example \"acc*: m/s^2\"");
  return {std::string(trimmed(text.substr(0, colon))), Unit::parse(trimmed(text.substr(colon + 1)))};
}

Calibration make_calibration(const std::vector<std::string>& steps, const Unit& stored) {
  Calibration c;
  c.unit = stored;
  for (const std::string& step : steps) {
    apply_step(c, step);
    c.text += (c.text.empty() ? "" : ", ") + step;
  }
  return c;
}

}  // namespace vprism
