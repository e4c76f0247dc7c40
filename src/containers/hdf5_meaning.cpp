// hdf5_meaning.cpp: see hdf5_meaning.h.
#include "containers/hdf5_meaning.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "base/quantity.h"
#include "base/text.h"
#include "base/unit.h"

namespace vprism {

namespace {

struct Key {
  const char* words;
  Hdf5Meaning meaning;
};
using M = Hdf5Meaning;
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
                        {"t0", M::start},
                        {"x0", M::start},
                        {"start", M::start},
                        {"starttime", M::start},
                        {"tstart", M::start},
                        {"startoffset", M::start},
                        {"timeoffset", M::start},
                        {"xstart", M::start},
                        {"xorigin", M::start},
                        {"xzero", M::start},
                        {"xoffset", M::start},
                        {"scale", M::scale},
                        {"scalefactor", M::scale},
                        {"yscale", M::scale},
                        {"yincrement", M::scale},
                        {"yincr", M::scale},
                        {"ymultiplier", M::scale},
                        {"ymult", M::scale},
                        {"conversionfactor", M::scale},
                        {"calibrationfactor", M::scale},
                        {"offset", M::offset},
                        {"addoffset", M::offset},
                        {"yoffset", M::offset},
                        {"yorigin", M::offset},
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
std::vector<std::string> words_of(std::string_view key) {
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
  return out;
}

bool is_place(const std::string& word) {
  static constexpr std::string_view words[] = {"wf",   "waveform", "wave",        "signal", "data",
                                               "acq",  "daq",      "acquisition", "record", "trace",
                                               "axis", "sampling", "scope"};
  return std::find(std::begin(words), std::end(words), word) != std::end(words);
}

Hdf5Meaning known(const std::string& joined) {
  for (const Key& key : keys)
    if (joined == key.words) return key.meaning;
  return M::none;
}

bool is_timed(Hdf5Meaning meaning) {
  return meaning == M::rate || meaning == M::interval || meaning == M::start;
}

/// "48000", "48 kHz", "1e-5 s".
std::optional<double> number_in(std::string_view text, Hdf5Meaning meaning) {
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

Hdf5Meaning worked_out(std::string_view key, double& factor) {
  std::vector<std::string> words = words_of(key);
  const auto joined = [&] {
    std::string out;
    for (const std::string& word : words) out += word;
    return out;
  };
  Hdf5Meaning meaning = known(joined());
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

struct Wanted {
  Hdf5Meaning meaning;
  std::optional<Hdf5Said> found;
};

herr_t look(hid_t object, const char* name, const H5A_info_t*, void* data) {
  auto& wanted = *static_cast<Wanted*>(data);
  double factor = 1;
  if (meaning_of_key(name, factor) != wanted.meaning) return 0;
  const bool words = wanted.meaning == M::unit || wanted.meaning == M::name;
  if (const auto text = hdf5_text(object, name)) {
    const auto value = words ? std::optional<double>(0) : number_in(*text, wanted.meaning);
    if (!value || trimmed(*text).empty()) return 0;
    wanted.found = Hdf5Said{name, *value * factor, std::string(trimmed(*text))};
    return 1;
  }
  const auto value = hdf5_number(object, name);
  if (words || !value || (!std::isfinite(*value) && wanted.meaning != M::fill)) return 0;
  wanted.found = Hdf5Said{name, *value * factor, ""};
  return 1;
}

}  // namespace

Hdf5Meaning meaning_of_key(std::string_view key, double& factor) {
  factor = 1;
  if (key.size() > 60) return M::none;
  // The same few keys stand on every data set.
  static std::map<std::string, std::pair<Hdf5Meaning, double>, std::less<>> known_keys;
  if (const auto seen = known_keys.find(key); seen != known_keys.end()) {
    factor = seen->second.second;
    return seen->second.first;
  }
  const Hdf5Meaning meaning = worked_out(key, factor);
  if (known_keys.size() < 1000) known_keys.emplace(key, std::pair(meaning, factor));
  return meaning;
}

std::optional<Hdf5Said> hdf5_said(hid_t object, Hdf5Meaning meaning) {
  Wanted wanted{meaning, {}};
  hsize_t at = 0;
  H5Aiterate2(object, H5_INDEX_NAME, H5_ITER_INC, &at, look, &wanted);
  return wanted.found;
}

std::string hdf5_dimension_scale(hid_t set, unsigned dimension) {
  if (H5Aexists(set, "DIMENSION_LIST") <= 0) return "";
  const Hdf5Handle attribute(H5Aopen(set, "DIMENSION_LIST", H5P_DEFAULT));
  if (!attribute) return "";
  const Hdf5Handle type(H5Aget_type(attribute.get())), space(H5Aget_space(attribute.get()));
  const hssize_t count = space ? H5Sget_simple_extent_npoints(space.get()) : 0;
  if (!type || H5Tget_class(type.get()) != H5T_VLEN || count <= static_cast<hssize_t>(dimension) ||
      count > 32)
    return "";
  const Hdf5Handle base(H5Tget_super(type.get()));
  if (!base || H5Tget_class(base.get()) != H5T_REFERENCE || H5Tequal(base.get(), H5T_STD_REF_OBJ) <= 0)
    return "";
  std::vector<hvl_t> lists(static_cast<std::size_t>(count));
  if (H5Aread(attribute.get(), type.get(), lists.data()) < 0) return "";
  std::string out;
  if (lists[dimension].len > 0 && lists[dimension].p != nullptr) {
    const Hdf5Handle scale(H5Rdereference2(set, H5P_DEFAULT, H5R_OBJECT, lists[dimension].p));
    char name[1024] = {};
    if (scale && H5Iget_type(scale.get()) == H5I_DATASET && H5Iget_name(scale.get(), name, sizeof name) > 0)
      out = name;
  }
  H5Dvlen_reclaim(type.get(), space.get(), H5P_DEFAULT, lists.data());
  return out;
}

}  // namespace vprism
