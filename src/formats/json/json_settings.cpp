// json_settings.cpp: see json_settings.h.
#include "formats/json/json_settings.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/text.h"
#include "base/units/unit.h"
#include "formats/documents/key_meaning.h"

namespace vprism {

void take_json_setting(const std::string& key, const nlohmann::ordered_json& value, JsonBeside& beside,
                       std::vector<std::string>& unapplied) {
  double factor = 1;
  const KeyMeaning meaning = meaning_of_key(key, factor);
  if (meaning == KeyMeaning::unit && value.is_string())  // "unit": "rig 3" is none.
    if (const std::string text = value.get<std::string>(); Unit::try_parse(text)) beside.unit = text;
  std::optional<double> number;
  if (value.is_number()) number = value.get<double>() * factor;
  if (value.is_string()) number = number_of_key(value.get_ref<const std::string&>(), meaning);
  if (!number || !std::isfinite(*number)) return;
  if (meaning == KeyMeaning::start) beside.start_s = *number;
  if (meaning == KeyMeaning::scale || meaning == KeyMeaning::offset) unapplied.push_back(key);
  if (!(*number > 0)) return;
  if (meaning == KeyMeaning::duration) beside.duration_s = *number, beside.duration_source = key;
  if (meaning == KeyMeaning::rate) beside.interval_s = 1 / *number, beside.interval_source = key;
  if (meaning == KeyMeaning::interval) beside.interval_s = *number, beside.interval_source = key;
}

bool is_of_json_settings(const nlohmann::ordered_json& value, int depth) {
  return value.is_object() && !value.empty() && depth < 4 &&
         std::all_of(value.begin(), value.end(), [depth](const nlohmann::ordered_json& inner) {
           return inner.is_primitive() || is_of_json_settings(inner, depth + 1);
         });
}

/// {"fs": {"value": 2, "unit": "kHz"}}, {"x": {"unit": "ms", "step": 20}}: a unit beside numbers is theirs.
void take_json_settings(const std::string& key, const nlohmann::ordered_json& settings, JsonBeside& beside,
                        std::vector<std::string>& unapplied) {
  std::string text;
  for (const auto& [inner, x] : settings.items())
    if (double factor = 1; x.is_string() && meaning_of_key(inner, factor) == KeyMeaning::unit)
      text = x.get<std::string>();
  const auto unit = Unit::try_parse(text);
  const bool of_time = unit && unit->converts_to(Unit::parse("s")),
             of_rates = unit && unit->converts_to(Unit::parse("Hz"));
  if (const auto number = settings.find("value"); number != settings.end() && number->is_number()) {
    const std::string with_unit =
        format_number(number->get<double>(), 17) + (of_time || of_rates ? " " + text : "");
    return take_json_setting(key, with_unit, beside, unapplied);
  }
  for (const auto& [inner, x] : settings.items()) {
    if (x.is_object()) {
      take_json_settings(inner, x, beside, unapplied);
      continue;
    }
    double factor = 1;
    const KeyMeaning meaning = meaning_of_key(inner, factor);
    const bool in_unit = x.is_number() && factor == 1 &&
                         ((of_time && (meaning == KeyMeaning::interval || meaning == KeyMeaning::start)) ||
                          (of_rates && meaning == KeyMeaning::rate));
    if (in_unit)
      take_json_setting(inner, format_number(x.get<double>(), 17) + " " + text, beside, unapplied);
    else if (meaning != KeyMeaning::unit || !(of_time || of_rates))
      take_json_setting(inner, x, beside, unapplied);
  }
}

}  // namespace vprism
