// key_meaning.cpp: see key_meaning.h.
#include "formats/documents/key_meaning.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

struct Key {
  const char* words;
  KeyMeaning meaning;
};
using M = KeyMeaning;
constexpr Key keys[] = {{"rate", M::rate},
                        {"fs", M::rate},
                        {"sps", M::rate},
                        {"samplerate", M::rate},
                        {"samplingrate", M::rate},
                        {"samplefrequency", M::rate},
                        {"samplingfrequency", M::rate},
                        {"samplespersecond", M::rate},
                        {"scanrate", M::rate},
                        {"framerate", M::rate},
                        {"dt", M::interval},
                        {"deltat", M::interval},
                        {"delta", M::interval},
                        {"deltax", M::interval},
                        {"interval", M::interval},
                        {"increment", M::interval},
                        {"step", M::interval},
                        {"timestep", M::interval},
                        {"timeinterval", M::interval},
                        {"timeincrement", M::interval},
                        {"tstep", M::interval},
                        {"xincrement", M::interval},
                        {"xincr", M::interval},
                        {"xinc", M::interval},
                        {"xinterval", M::interval},
                        {"xstep", M::interval},
                        {"xdelta", M::interval},
                        {"sampleinterval", M::interval},
                        {"samplinginterval", M::interval},
                        {"sampleperiod", M::interval},
                        {"samplingperiod", M::interval},
                        {"sampletime", M::interval},
                        {"horizontalinterval", M::interval},
                        {"duration", M::duration},
                        {"totaltime", M::duration},
                        {"t0", M::start},
                        {"x0", M::start},
                        {"start", M::start},
                        {"starttime", M::start},
                        {"tstart", M::start},
                        {"sr", M::rate},
                        {"srate", M::rate},
                        {"samprate", M::rate},
                        {"startoffset", M::start},
                        {"timeoffset", M::start},
                        {"xstart", M::start},
                        {"xorigin", M::start},
                        {"xzero", M::start},
                        {"xorg", M::start},
                        {"dx", M::interval},
                        {"xoffset", M::start},
                        {"scale", M::scale},
                        {"gain", M::gain},
                        {"scalefactor", M::scale},
                        {"yscale", M::scale},
                        {"yincrement", M::scale},
                        {"yincr", M::scale},
                        {"yinc", M::scale},
                        {"ymultiplier", M::scale},
                        {"ymult", M::scale},
                        {"conversionfactor", M::scale},
                        {"calibrationfactor", M::scale},
                        {"offset", M::offset},
                        {"addoffset", M::offset},
                        {"yoffset", M::offset},
                        {"yorigin", M::offset},
                        {"yorg", M::offset},
                        {"yreference", M::raw_zero},
                        {"yzeroraw", M::raw_zero},
                        {"unit", M::unit},
                        {"units", M::unit},
                        {"yunit", M::unit},
                        {"yunits", M::unit},
                        {"unitstring", M::unit},
                        {"engineeringunits", M::unit},
                        {"engineeringunit", M::unit},
                        {"name", M::name},
                        {"longname", M::name},
                        {"channel", M::name},
                        {"channelname", M::name},
                        {"label", M::name},
                        {"title", M::name},
                        {"fillvalue", M::fill},
                        {"missingvalue", M::fill}};

/// Parts of a key: "SampleRate_Hz" is sample, rate, hz.
std::vector<std::string> key_words(std::string_view key) {
  std::vector<std::string> out;
  char before = ' ';
  for (const char c : key) {
    const bool upper = c >= 'A' && c <= 'Z', lower_before = before >= 'a' && before <= 'z';
    const bool letter = upper || (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    if (letter) {
      if (out.empty() || out.back().empty() || (upper && lower_before)) {
        if (out.empty() || !out.back().empty()) out.emplace_back();
      }
      out.back() += static_cast<char>(upper ? c - 'A' + 'a' : c);
    } else if (!out.empty() && !out.back().empty()) {
      out.emplace_back();
    }
    before = c;
  }
  if (!out.empty() && out.back().empty()) out.pop_back();
  // "kHz" is one word.
  if (const std::size_t n = out.size(); n > 1 && out[n - 1] == "hz" && out[n - 2].size() == 1)
    out[n - 2] += "hz", out.pop_back();
  return out;
}

bool is_place(const std::string& word) {
  static constexpr std::string_view words[] = {"wf",   "waveform", "wave",        "signal", "data",
                                               "acq",  "daq",      "acquisition", "record", "trace",
                                               "axis", "sampling", "scope"};
  return std::find(std::begin(words), std::end(words), word) != std::end(words);
}

KeyMeaning known(const std::string& joined) {
  for (const Key& key : keys)
    if (joined == key.words) return key.meaning;
  return M::none;
}

bool is_timed(KeyMeaning meaning) {
  return meaning == M::rate || meaning == M::interval || meaning == M::start || meaning == M::duration;
}

KeyMeaning worked_out(std::string_view key, double& factor) {
  std::vector<std::string> words = key_words(key);
  const auto joined = [&] {
    std::string out;
    for (const std::string& word : words) out += word;
    return out;
  };
  KeyMeaning meaning = known(joined());
  // A unit at the end, then words of where it belongs to at the beginning.
  static constexpr std::pair<std::string_view, double> units[] = {
      {"s", 1},      {"sec", 1}, {"seconds", 1}, {"ms", 1e-3}, {"us", 1e-6}, {"ns", 1e-9},
      {"ps", 1e-12}, {"hz", 1},  {"khz", 1e3},   {"mhz", 1e6}, {"ghz", 1e9}};
  if (meaning == M::none && words.size() > 1)
    for (const auto& [unit, value] : units)
      if (words.back() == unit) {
        const std::string last = words.back();
        words.pop_back();
        meaning = known(joined());
        const bool frequency = unit.find("hz") != std::string_view::npos;
        if (is_timed(meaning) && frequency == (meaning == M::rate)) {
          factor = value;
        } else {
          meaning = M::none;
          words.push_back(last);
        }
        break;
      }
  while (meaning == M::none && words.size() > 1 && is_place(words.front())) {
    words.erase(words.begin());
    std::string rest;
    for (const std::string& word : words) rest += (rest.empty() ? "" : "_") + word;
    meaning = worked_out(rest, factor);
  }
  return meaning;
}

}  // namespace

KeyMeaning meaning_of_key(std::string_view key, double& factor) {
  factor = 1;
  if (key.size() > 60) return M::none;
  // The same few keys stand on every data set.
  thread_local std::map<std::string, std::pair<KeyMeaning, double>, std::less<>> known_keys;
  if (const auto seen = known_keys.find(key); seen != known_keys.end()) {
    factor = seen->second.second;
    return seen->second.first;
  }
  const KeyMeaning meaning = worked_out(key, factor);
  if (known_keys.size() < 1000) known_keys.emplace(key, std::pair(meaning, factor));
  return meaning;
}

std::optional<double> number_of_key(std::string_view text, KeyMeaning meaning) {
  text = trimmed(text);
  if (text.empty() || text.size() > 60) return {};
  try {
    if (is_timed(meaning) && text.find_first_of("sSzZ") != std::string_view::npos)
      return parse_quantity(std::string(text), meaning == M::rate ? Dimension::frequency : Dimension::time);
    std::size_t used = 0;
    const double value = std::stod(std::string(text), &used);
    return trimmed(text.substr(used)).empty() && std::isfinite(value) ? std::optional(value) : std::nullopt;
  } catch (const std::exception&) {
    return {};
  }
}

bool is_frequency_key(const std::string& leaf) {
  const std::string name = lower_case(leaf);
  return name == "frequency" || name == "freq" || name == "frequencies" || name == "freqs" ||
         name == "f_hz" || name == "frequency_hz" || name == "f_axis" || name == "freq_axis" ||
         name == "frequency_axis" || name == "freq_hz";
}

bool is_time_key(const std::string& leaf) {
  const std::string name = lower_case(leaf);
  for (const char* known :
       {"time",       "t",        "times",     "timestamps",  "timestamp", "time_s",  "time_sec",
        "t_s",        "stamps",   "tvec",      "time_vector", "seconds",   "elapsed", "ts",
        "time_stamp", "datetime", "date_time", "epoch",       "stamp",     "t_axis",  "time_axis"})
    if (name == known) return true;
  return !time_unit_of_key(leaf).empty();
}

bool is_abscissa_key(const std::string& leaf) {
  const std::string name = lower_case(leaf);
  for (const char* known :
       {"x", "xs", "x_axis", "xaxis", "x_data", "xdata", "x_values", "xvalues", "abscissa"})
    if (name == known) return true;
  return false;
}

std::string time_unit_of_key(const std::string& name) {
  // "t_ms", "elapsed_time_us", "Time [ms]".
  if (name.size() > 40) return "";
  std::vector<std::string> words = key_words(name);
  static constexpr std::pair<std::string_view, const char*> units[] = {
      {"s", "s"},   {"sec", "s"}, {"seconds", "s"}, {"ms", "ms"},  {"us", "us"},
      {"ns", "ns"}, {"ps", "ps"}, {"min", "min"},   {"msec", "ms"}};
  for (const auto& [word, unit] : units) {
    if (words.size() < 2 || words.back() != word) continue;
    const std::string& before = words[words.size() - 2];
    if (before == "time" || before == "t" || before == "timestamp" || before == "elapsed") return unit;
  }
  return "";
}

}  // namespace vprism
