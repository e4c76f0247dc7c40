// suspects_file.cpp: see suspects_file.h. Each [[suspect]] gives one kind of base (frequency, speed, mains,
// resonance or lines) and what else follows from it.
#include "commands/identify/suspects_file.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "frame/toml_file.h"

namespace vprism {

namespace {

constexpr double standard_tolerance = 0.005;

const std::vector<std::string>& known_keys() {
  static const std::vector<std::string> keys = {"name",   "frequency", "tolerance", "harmonics", "speed",
                                                "orders", "gear",      "bearing",   "mains",     "resonance",
                                                "lines",  "sidebands", "near",      "pulses",    "note"};
  return keys;
}

class Reader {
 public:
  Reader(const std::string& path, const toml::table& entry) : path_(path), entry_(entry) {}

  [[noreturn]] void fail(const toml::node& node, const std::string& what) const {
    fail_at(path_, node, what);
  }

  std::string text(const char* key) const {
    const toml::node* node = entry_.get(key);
    if (node == nullptr) return "";
    const auto value = node->value<std::string>();
    if (!value || trimmed(*value).empty())
      fail(*node, std::string(key) + " must be a text that is not empty");
    return std::string(trimmed(*value));
  }

  /// "31.2 Hz", "30 Hz..32 Hz", "1450 rpm", "1400..1500 rpm"; `wide`: the relative width of a single value.
  Range frequencies(const char* key, double wide) const {
    const std::string given = text(key);
    const toml::node& node = *entry_.get(key);
    try {
      std::string in_hz = given;
      double factor = 1;
      if (const std::size_t rpm = in_hz.find("rpm"); rpm != std::string::npos) {
        while (in_hz.find("rpm") != std::string::npos) in_hz.replace(in_hz.find("rpm"), 3, "Hz");
        factor = 1.0 / 60;
      }
      if (in_hz.find("..") != std::string::npos) {
        const Range r = parse_range(in_hz, Dimension::frequency);
        if (!r.low || !r.high)
          fail(node, std::string(key) + ": a range needs both ends, such as \"20 Hz..30 Hz\"");
        return {*r.low * factor, *r.high * factor};
      }
      const double hz = parse_positive(in_hz, Dimension::frequency) * factor;
      return {hz * (1 - wide), hz * (1 + wide)};
    } catch (const Error& error) {
      if (error.status() == Status::usage && std::string(error.what()).rfind(path_, 0) == 0) throw;
      fail(node, std::string(key) + ": " + error.what());
    }
  }

  double number(const toml::table& table, const char* key, double standard) const {
    const toml::node* node = table.get(key);
    if (node == nullptr) return standard;
    const auto value = node->value<double>();
    if (!value || !(*value > 0)) fail(*node, std::string(key) + " must be a number above zero");
    return *value;
  }

  /// A length with or without a unit: only their ratios count.
  double length(const toml::table& table, const char* key) const {
    const toml::node* node = table.get(key);
    if (node == nullptr) fail(table, std::string("bearing: ") + key + " is missing");
    if (const auto value = node->value<double>(); value && *value > 0) return *value;
    const auto value = node->value<std::string>();
    if (!value) fail(*node, std::string(key) + " must be a length, such as \"7.9 mm\"");
    try {
      const Quantity q = parse_any_quantity(*value);
      return q.unit.convert(q.value, Unit::parse("m"));
    } catch (const Error& error) {
      fail(*node, std::string(key) + ": " + error.what());
    }
  }

  void orders(Suspect& s) const {
    const toml::node* node = entry_.get("orders");
    if (node == nullptr) return;
    const toml::array* list = node->as_array();
    if (list == nullptr || list->empty()) fail(*node, "orders must be a list of numbers, such as [1, 2, 17]");
    for (const toml::node& one : *list) {
      const auto order = one.value<double>();
      if (!order || !(*order > 0)) fail(one, "an order must be a number above zero");
      add(s, "order " + format_number(*order), *order, s.lines.empty() ? 1 : 0.7);
    }
  }

  static void add(Suspect& s, const std::string& what, double factor, double weight, double constant = 0) {
    for (const ExpectedLine& line : s.lines)
      if (line.terms.size() == 1 && line.terms[0].suspect.empty() && line.constant_hz == constant &&
          std::abs(line.terms[0].factor - factor) < 1e-12)
        return;
    s.lines.push_back({what, {{"", factor}}, constant, weight});
  }

  void gear(Suspect& s) const {
    const toml::node* node = entry_.get("gear");
    if (node == nullptr) return;
    const toml::table* table = node->as_table();
    if (table == nullptr) fail(*node, "gear must be a table, such as { teeth = 17 }");
    const double teeth = number(*table, "teeth", 0);
    if (teeth < 2) fail(*node, "gear: teeth is missing");
    add(s, "gear mesh", teeth, 1);
    for (const int side : {-1, 1})
      add(s, side < 0 ? "gear mesh - shaft" : "gear mesh + shaft", teeth + side, 0.4);
  }

  void bearing(Suspect& s) const {
    const toml::node* node = entry_.get("bearing");
    if (node == nullptr) return;
    const toml::table* table = node->as_table();
    if (table == nullptr)
      fail(*node, "bearing must be a table with balls, ball_diameter, pitch_diameter and contact_angle_deg");
    const double balls = number(*table, "balls", 0), ball = length(*table, "ball_diameter"),
                 pitch = length(*table, "pitch_diameter");
    double angle = 0;
    if (const toml::node* a = table->get("contact_angle_deg")) angle = a->value<double>().value_or(0);
    if (balls < 2 || !(ball < pitch))
      fail(*node, "bearing: at least two balls, smaller than the pitch circle");
    const BearingOrders o = bearing_orders(balls, ball, pitch, angle);
    add(s, "bearing, outer race", o.outer, 0.6);
    add(s, "bearing, inner race", o.inner, 0.6);
    add(s, "bearing, ball", o.ball, 0.4);
    add(s, "bearing, cage", o.cage, 0.3);
  }

  void harmonics(Suspect& s, std::size_t standard) const {
    const double most = number(entry_, "harmonics", static_cast<double>(standard));
    for (int n = 1; n <= std::min(200.0, most); ++n)
      add(s, n == 1 ? "fundamental" : "harmonic " + std::to_string(n), n, 1.0 / n);
  }

  const toml::node* get(const char* key) const { return entry_.get(key); }
  const toml::table& table() const { return entry_; }

 private:
  const std::string& path_;
  const toml::table& entry_;
};

}  // namespace

SuspectsFile read_suspects(const std::string& path) {
  const toml::table file = read_toml_file(path);
  const toml::array* list = file["suspect"].as_array();
  if (list == nullptr || list->empty())
    throw Error(Status::usage, path + ": no [[suspect]] in it; each needs a name and where it makes lines");
  // A case has its suspects among other things.
  const bool in_case = file.contains("recordings") || file.contains("steps") || file.contains("variables");
  for (const auto& [key, node] : file)
    if (key.str() != "suspect" && !in_case)
      throw Error(Status::usage, fmt::format("{}:{}: {}", path, node.source().begin.line,
                                             unknown_name("table", std::string(key.str()), {"suspect"})));
  SuspectsFile out;
  std::vector<std::string> names;
  for (const toml::node& node : *list) {
    const toml::table* entry = node.as_table();
    if (entry == nullptr)
      throw Error(Status::usage, path + ": suspect must be a list of tables: [[suspect]]");
    const Reader reader(path, *entry);
    const std::string name = reader.text("name");
    if (name.empty()) reader.fail(*entry, "a suspect without a name");
    if (std::find(names.begin(), names.end(), name) != names.end())
      reader.fail(*entry, "two suspects are called \"" + clean_text(name) + "\"");
    names.push_back(name);
  }
  for (const toml::node& node : *list) {
    const Reader reader(path, *node.as_table());
    for (const auto& [key, value] : reader.table())
      if (std::find(known_keys().begin(), known_keys().end(), std::string(key.str())) == known_keys().end())
        reader.fail(value, unknown_name("key", std::string(key.str()), known_keys()));
    Suspect s;
    s.name = clean_text(reader.text("name"));
    s.near = reader.text("near");
    s.note = reader.text("note");
    int bases = 0;
    for (const char* key : {"frequency", "speed", "mains", "resonance", "lines"})
      bases += reader.get(key) != nullptr ? 1 : 0;
    if (bases != 1)
      reader.fail(
          reader.table(),
          "\"" + s.name + "\" needs one of frequency, speed, mains, resonance or lines, and only one");
    double tolerance = standard_tolerance;
    if (const std::string given = reader.text("tolerance"); !given.empty()) {
      try {
        tolerance = parse_positive(given, Dimension::ratio);
      } catch (const Error& error) {
        reader.fail(*reader.get("tolerance"), std::string("tolerance: ") + error.what());
      }
    }
    if (reader.get("frequency")) {
      s.base_hz = reader.frequencies("frequency", tolerance);
      reader.harmonics(s, 1);
    } else if (reader.get("mains")) {
      // Grids hold their frequency within 0.2 Hz in ordinary service.
      s.base_hz = reader.frequencies("mains", 0.004);
      reader.harmonics(s, 20);
      for (ExpectedLine& line : s.lines)
        if (line.terms[0].factor != 1) line.weight = line.terms[0].factor < 8 ? 0.15 : 0.03;
    } else if (reader.get("speed")) {
      if (const std::string speed = reader.text("speed"); speed.rfind("tachometer ", 0) == 0) {
        out.tachometers.push_back(
            {s.name, std::string(trimmed(speed.substr(11))), reader.number(reader.table(), "pulses", 1)});
        s.base_hz = Range{1e-6, 1e9};
      } else if (speed == "unknown") {
        s.base_hz = Range{0.01, 1e4};
      } else {
        s.base_hz = reader.frequencies("speed", tolerance);
      }
      reader.orders(s);
      reader.gear(s);
      reader.bearing(s);
      if (s.lines.empty()) reader.harmonics(s, 1);
    } else if (reader.get("resonance")) {
      s.resonance_hz = reader.frequencies("resonance", 0.05);
    } else {
      const toml::array* formulas = reader.get("lines")->as_array();
      if (formulas == nullptr || formulas->empty())
        reader.fail(*reader.get("lines"), "lines must be a list, such as [\"2 * cooler - fan\"]");
      for (const toml::node& formula : *formulas) {
        const auto words = formula.value<std::string>();
        if (!words) reader.fail(formula, "a line must be a text, such as \"2 * cooler - fan\"");
        try {
          s.lines.push_back(parse_line_formula(*words, names));
        } catch (const Error& error) {
          reader.fail(formula, error.what());
        }
        for (const ExpectedLine::Term& term : s.lines.back().terms)
          if (term.suspect == s.name) reader.fail(formula, "a suspect can't stand in its own formula");
      }
    }
    if (const std::string spacing = reader.text("sidebands"); !spacing.empty()) {
      if (s.lines.empty()) reader.fail(*reader.get("sidebands"), "sidebands need a line to stand around");
      ExpectedLine step;
      try {
        step = parse_line_formula(spacing, names);
      } catch (const Error& error) {
        reader.fail(*reader.get("sidebands"), std::string("sidebands: ") + error.what());
      }
      for (const double side : {-1.0, 1.0}) {
        ExpectedLine line = s.lines.front();
        line.what = side < 0 ? "sideband below" : "sideband above";
        line.weight = 0.4;
        line.constant_hz += side * step.constant_hz;
        for (ExpectedLine::Term term : step.terms) {
          term.factor *= side;
          line.terms.push_back(term);
        }
        s.lines.push_back(std::move(line));
      }
    }
    out.lineup.push_back(std::move(s));
  }
  return out;
}

}  // namespace vprism
