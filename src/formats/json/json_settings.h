// json_settings.h: what members of a JSON document say of the arrays beside them.
#pragma once

#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace vprism {

struct JsonBeside {
  double interval_s = 0, start_s = 0;
  std::string interval_source;
  double duration_s = 0;  ///< Of all samples; counts where nothing says more.
  std::string duration_source;
  std::string name, unit;                    ///< Of arrays that have none of their own.
  std::map<std::string, std::string> units;  ///< By the arrays' keys: {"units": {"a": "V"}}.
};

/// One member: an interval, a rate, a start, a unit; scales and offsets are listed in `unapplied`.
void take_json_setting(const std::string& key, const nlohmann::ordered_json& value, JsonBeside& beside,
                       std::vector<std::string>& unapplied);
/// Whether an object holds nothing but settings, objects of settings among them.
bool is_of_json_settings(const nlohmann::ordered_json& value, int depth = 0);
/// All of these. A unit beside numbers is theirs: {"fs": {"value": 2, "unit": "kHz"}}, {"x": {"unit": "ms",
/// "step": 20}}.
void take_json_settings(const std::string& key, const nlohmann::ordered_json& settings, JsonBeside& beside,
                        std::vector<std::string>& unapplied);

}  // namespace vprism
