// document.cpp: see document.h.
#include "render/document.h"

#include <algorithm>
#include <cmath>

#include "formats/text/clock/clock.h"

namespace vprism {

const char* version() { return VPRISM_VERSION; }

void add_new_cautions(std::vector<Caution>& to, const std::vector<Caution>& more) {
  const std::vector<Caution> known = to;
  for (const Caution& caution : more)
    if (std::none_of(known.begin(), known.end(), [&](const Caution& other) {
          return other.code == caution.code && other.channel == caution.channel && other.text == caution.text;
        }))
      to.push_back(caution);
}

Json number(double value) { return std::isfinite(value) ? Json(value) : Json(nullptr); }

double decibels(double value, bool amplitude, double reference) {
  const double ratio = value / reference;
  // Nothing at all has no decibels; readers want a number.
  return ratio > 0 ? (amplitude ? 20 : 10) * std::log10(ratio) : (amplitude ? -400 : -200);
}

namespace {

Json pairs(const std::vector<std::pair<std::string, std::string>>& list) {
  Json out = Json::object();
  for (const auto& [key, value] : list) out[key] = value;
  return out;
}

Json outputs_json(const std::vector<OutputFolder::Entry>& entries) {
  Json out = Json::array();
  for (const auto& entry : entries) {
    out.push_back({{"file", entry.file}, {"what", entry.what}});
    if (!entry.digest.empty()) out.back()["digest"] = entry.digest;
  }
  return out;
}

Json input_json(const InputFacts& input) {
  const Recording& r = input.recording;
  Json channels = Json::array();
  for (const Channel& channel : r.channels) {
    const bool rated = r.axis.interval > 0;
    channels.push_back({{"name", channel.name},
                        {"unit", channel.unit.label()},
                        {"quantity", channel.quantity},
                        {"rate_hz", rated ? number(r.axis.rate_hz()) : Json(nullptr)},
                        {"samples", r.samples},
                        {"start_s", number(r.axis.start)},
                        {"stamped", r.axis.stamped}});
  }
  Json chain = Json::array();
  for (const StageReport& stage : input.chain) {
    chain.push_back({{"step", stage.name}, {"values", pairs(stage.values)}, {"did", pairs(stage.effects)}});
    Json events = Json::array();
    for (const StageEvent& event : stage.events)
      events.push_back({{"channel", event.channel},
                        {"time_s", number(event.time_s)},
                        {"size", number(event.size)},
                        {"what", event.what}});
    if (!events.empty()) chain.back()["events"] = events;
  }
  Json parts = Json::array();
  for (const Part& part : r.parts) parts.push_back({{"name", part.name}, {"what", part.what}});
  const char* domain = r.axis.domain == Axis::Domain::time        ? "time"
                       : r.axis.domain == Axis::Domain::frequency ? "frequency"
                                                                  : "other";
  Json out = {{"file", r.file},
              {"digest", input.digest},
              {"format", r.format},
              {"rate_from", r.axis.source},
              {"time_zero", r.zero_ns ? Json(utc_text(*r.zero_ns)) : Json(nullptr)},
              {"channels", channels},
              {"notes", pairs(r.notes)},
              {"chain", chain},
              {"axis", domain},
              {"axis_unit", r.axis.unit.text()},
              {"complex", r.complex},
              {"parts", parts},
              {"part", r.parts.empty() ? Json(nullptr) : Json(r.part + 1)},
              {"joined_files", input.files}};
  if (!input.purpose.empty()) out["purpose"] = input.purpose, out["next"] = input.next;
  return out;
}

/// The only key of that name at the outermost level is given its value; texts hold no line ends.
void replace_results(std::string& document, const std::string& value) {
  const std::string key = "\n  \"results\": ", none = "null";
  const std::size_t at = document.find(key + none) + key.size();
  document.replace(at, none.size(), value);
}

}  // namespace

Json Delivery::document(const std::vector<OutputFolder::Entry>& outputs) const {
  Json out = document_around(outputs);
  out["results"] = results;
  return out;
}

Json Delivery::document_around(const std::vector<OutputFolder::Entry>& outputs) const {
  Json out;
  out["vprism"] = version();
  out["schema"] = 1;  // docs/results.schema.json
  out["command"] = command;
  out["settings"] = settings;
  out["inputs"] = Json::array();
  for (const InputFacts& input : inputs) out["inputs"].push_back(input_json(input));
  out["cautions"] = Json::array();
  for (const Caution& c : cautions)
    out["cautions"].push_back({{"code", c.code},
                               {"severity", severity_name(c.severity)},
                               {"channel", c.channel},
                               {"text", c.text},
                               {"remedy", c.remedy}});
  out["results"] = nullptr;
  out["findings"] = Json::array();
  for (const Finding& f : findings) {
    out["findings"].push_back(
        {{"kind", f.kind},
         {"recording", f.recording},
         {"channel", f.channel},
         {"frequency_hz", f.kind == "event" ? Json(nullptr) : number(f.frequency_hz)},
         {"frequency_std_hz", f.kind == "event" ? Json(nullptr) : number(f.frequency_std_hz)},
         {"level", number(f.level_rms)},
         {"level_unit", f.unit},
         {"level_db", number(decibels(f.level_rms, true))},
         {"suspect", f.suspect},
         {"text", f.text},
         {"evidence", f.evidence}});
    if (!f.runner_up.empty()) out["findings"].back()["runner_up"] = f.runner_up;
    Json lines = Json::array();
    for (const FindingLine& l : f.lines) {
      lines.push_back({{"frequency_hz", number(l.frequency_hz)},
                       {"frequency_std_hz", number(l.frequency_std_hz)},
                       {"level", number(l.rms)}});
      if (l.order != 0) lines.back()["order"] = l.order;
    }
    if (!lines.empty()) out["findings"].back()["lines"] = std::move(lines);
    for (const auto& [key, value] : f.numbers) out["findings"].back()[key] = number(value);
  }
  for (const auto& [key, value] : further.items()) out[key] = value;
  out["outputs"] = outputs_json(outputs);
  return out;
}

std::string Delivery::document_text(const std::vector<OutputFolder::Entry>& outputs) const {
  // At `depth` below the document's own level.
  const auto dump = [](const Json& json, std::size_t depth, std::string& out) {
    for (const char c : json.dump(2, ' ', false, Json::error_handler_t::replace)) {
      out += c;
      if (c == '\n') out.append(2 * depth, ' ');
    }
  };
  std::string out, list;
  dump(document_around(outputs), 0, out);
  // One by one: there may be very many, and a copy of all takes many times the text.
  if (results.is_array() && !results.empty()) {
    for (const Json& result : results) {
      list += list.empty() ? "[\n    " : ",\n    ";
      dump(result, 2, list);
    }
    list += "\n  ]";
  } else {
    dump(results, 1, list);
  }
  replace_results(out, list);
  return out + "\n";
}

}  // namespace vprism
