// file.cpp: see file.h.
#include "commands/limits/file.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "commands/shared/stored_spectrum.h"
#include "frame/toml_file.h"

namespace vprism {

namespace {

/// "dB", "dBuV", "dB re 1 V": a level in decibels.
bool says_decibels(const Unit& unit) { return unit.text().rfind("dB", 0) == 0; }

std::vector<AskedLimit> read_table(const std::string& path, LimitCourse course) {
  InputSettings settings;
  Input input({path}, settings);
  if (!holds_spectra(input))
    throw Error(Status::usage,
                path + ": a limit is a table over frequency: name its first column frequency (Hz)");
  std::vector<AskedLimit> out;
  for (const StoredSpectrum& s : read_stored_spectra(input)) {
    AskedLimit limit;
    limit.line.name = s.channel.name;
    limit.line.course = course;
    limit.unit = s.channel.unit;
    limit.decibels = says_decibels(s.channel.unit);
    for (std::size_t k = 0; k < s.hz.size(); ++k) {
      const double level = s.level[k];
      limit.line.points.emplace_back(s.hz[k], level);
    }
    out.push_back(std::move(limit));
  }
  return out;
}

std::vector<AskedLimit> read_toml(const std::string& path, LimitCourse course) {
  const toml::table file = read_toml_file(path);
  const toml::array* list = file["limit"].as_array();
  if (list == nullptr || list->empty())
    throw Error(Status::usage, path + ": no [[limit]] in it; each needs points");
  static const std::vector<std::string> known = {"name",   "channel",  "scale", "unit",
                                                 "course", "detector", "points"};
  std::vector<AskedLimit> out;
  for (const toml::node& node : *list) {
    const auto fail = [&](const toml::node& at, const std::string& what) { fail_at(path, at, what); };
    if (!node.is_table()) fail(node, "limit must be a list of tables: [[limit]]");
    const toml::table& entry = *node.as_table();
    AskedLimit limit;
    limit.line.name = "limit " + std::to_string(out.size() + 1);
    limit.line.course = course;
    for (const auto& [key, value] : entry) {
      const std::string name(key.str());
      if (std::find(known.begin(), known.end(), name) == known.end())
        fail(value, unknown_name("key", name, known));
      if (name == "points") continue;
      const auto text = value.value<std::string>();
      if (!text) fail(value, name + " must be a text");
      try {
        if (name == "name") limit.line.name = clean_text(*text);
        if (name == "channel") limit.channels = *text;
        if (name == "scale") limit.scale = parse_scale(*text);
        if (name == "course") limit.line.course = parse_course(*text);
        if (name == "detector") limit.peak_detector = choice("detector", *text, {"average", "peak"}) == 1;
        if (name == "unit") {
          limit.decibels = says_decibels(Unit::opaque(*text));
          limit.unit = limit.decibels ? Unit::opaque(*text) : Unit::parse(*text);
        }
      } catch (const Error& error) {
        fail(value, name + ": " + error.what());
      }
    }
    const toml::array* points = entry["points"].as_array();
    if (points == nullptr)
      fail(node, "points is missing: a list such as [[\"5 Hz\", 1e-4], [\"2 kHz\", 1e-6]]");
    for (const toml::node& point : *points) {
      const toml::array* pair = point.as_array();
      if (pair == nullptr || pair->size() != 2)
        fail(point, "a point is a frequency and a level: [\"5 Hz\", 1e-4]");
      const toml::node &f = *pair->get(0), &l = *pair->get(1);
      double hz = 0;
      if (const auto text = f.value<std::string>()) {
        try {
          hz = parse_quantity(*text, Dimension::frequency);
        } catch (const Error& error) {
          fail(f, error.what());
        }
      } else if (const auto plain = f.value<double>()) {
        hz = *plain;
      } else {
        fail(f, "a frequency is a number of Hz or a text with a unit");
      }
      const auto level = l.value<double>();
      if (!level) fail(l, "a level is a number");
      limit.line.points.emplace_back(hz, *level);
    }
    out.push_back(std::move(limit));
  }
  return out;
}

}  // namespace

LimitCourse parse_course(const std::string& text) {
  return static_cast<LimitCourse>(choice("course", text, {"logarithmic", "linear", "step"}));
}

std::vector<AskedLimit> read_limits(const std::string& path, LimitCourse course) {
  std::vector<AskedLimit> out = path.ends_with(".toml") ? read_toml(path, course) : read_table(path, course);
  for (AskedLimit& limit : out) {
    // Decibels are logarithms already.
    LimitLine shown = limit.line;
    if (limit.decibels && shown.course == LimitCourse::logarithmic)
      for (auto& [hz, level] : shown.points) level = 1;
    check_limit(shown, path + ": " + limit.line.name);
  }
  return out;
}

}  // namespace vprism
