// axis_words.cpp: see axis_words.h.
#include "formats/text/axis/axis_words.h"

#include <algorithm>
#include <initializer_list>
#include <string>

#include "base/text.h"

namespace vprism {

namespace {

/// A key's words in lower case, a blank around each; letters beyond ASCII are left out.
std::string words_of(std::string_view key) {
  std::string out = " ";
  char before = ' ';
  for (const char c : key) {
    if (static_cast<unsigned char>(c) >= 0x80) continue;
    const bool upper = c >= 'A' && c <= 'Z', lower = c >= 'a' && c <= 'z', digit = c >= '0' && c <= '9';
    if (!upper && !lower && !digit && c != '/') {
      if (out.back() != ' ') out += ' ';
    } else {
      if (upper && before >= 'a' && before <= 'z') out += ' ';
      out += static_cast<char>(upper ? c - 'A' + 'a' : c);
    }
    before = c;
  }
  if (out.back() != ' ') out += ' ';
  return out;
}

bool any(const std::string& text, std::initializer_list<const char*> parts) {
  return std::any_of(parts.begin(), parts.end(),
                     [&](const char* part) { return text.find(part) != std::string::npos; });
}

/// Of taking samples: sampling, Abtastung, échantillonnage, muestreo, campionamento, ...
bool of_samples(const std::string& w) {
  return any(
      w, {"sampl", "abtast", "chantillon", "muestr", "campion", "scan", "logg", " log ", " takt", " tact"});
}
/// Of recording them.
bool of_recording(const std::string& w) {
  return of_samples(w) ||
         any(w, {"acqui", "record", "digiti", " adc ", " daq ", "horizontal", "timebase", "time base",
                 "messrate", "erfass", "aufzeich", "registr", " data rate", "datenrate"});
}
/// Of a time axis.
bool of_time(const std::string& w) {
  return any(w, {" time", "zeit", "temps", "tiempo", "tempo", " t ", " x ", "horizontal"});
}
/// Of how often: rate, Frequenz, fréquence, frecuencia, ...
bool of_rate(const std::string& w) {
  return any(w, {"rate", "freq", "quence", "frecuen", " per second", " pro sekunde", "cadence"});
}
/// Of how far apart samples lie. Steps, resolutions and periods may be those of anything.
bool of_spacing(const std::string& w) {
  if (any(w, {"interval", " increment", "xincr", "hincr", " incr ", " inc ", "xinc ", " delta t ",
              " delta x ", " delta time", " deltat ", " deltax ", "seconds per sample", "sec per sample",
              "time per sample", "hresol"}))
    return true;
  if (any(w, {"schritt", "abstand", "spacing", " step", "timestep", " pas ", " paso ", " passo "}))
    return of_time(w) || of_samples(w);
  if (any(w, {"period", "every"})) return of_samples(w);
  return any(w, {"resolution", "aufl"}) && of_time(w);
}
/// Of what has a frequency or a time of its own.
bool of_other(const std::string& w) {
  return any(w,
             {"filter",  "cut",   "bandw",  "corner", "pass ",    "alias",  "nyquist", "trigger", "tone ",
              "carrier", "cent",  "mains",  " line",  "excit",    "signal", "resonan", "refresh", "display",
              "baud",    " bit",  "pulse",  "chirp",  "delay",    "warm",   "settl",   "timeout", "calibr",
              "mainten", "servi", "averag", "update", "integrat", "confid", "upload",  "flow",    "feed",
              "heat",    "cool",  "dose",   " div ",  " qt ",     " rr ",   " pr "});
}

}  // namespace

AxisWord axis_word(std::string_view key, AxisUnit unit) {
  const std::string w = words_of(key);
  const auto alone = [&](std::initializer_list<const char*> names) {
    return std::any_of(names.begin(), names.end(),
                       [&](const char* name) { return w == " " + std::string(name) + " "; });
  };
  if (any(w, {"start time", "time offset", "trigger offset", "first sample time", "time of first sample",
              "x origin", "xorigin", "xzero", "x zero", "horizontal offset"}) ||
      alone({"t0", "start", "hoffset", "h offset", "xorg", "x org"}))
    return AxisWord::start;
  if (unit == AxisUnit::other) return AxisWord::none;
  if (unit != AxisUnit::frequency &&
      any(w, {"duration", "total time", "time span", "timespan", "record time", "acquisition time",
              "sweep time", "recording time", "measurement time", "messdauer", "elapsed"}))
    return AxisWord::duration;
  if (any(w, {"samples per second", "samples/s", "1/dt"})) return AxisWord::rate;
  if (unit == AxisUnit::frequency && alone({"update rate", "output data rate"})) return AxisWord::rate;
  if (of_other(w)) return AxisWord::none;
  if (unit != AxisUnit::frequency) {
    // "CLOCK=4 us": with a unit of time it is the converter's.
    if (unit == AxisUnit::time && alone({"clock"})) return AxisWord::interval;
    if (of_spacing(w) || alone({"dt", "tsample", "ts", "period", "xstep", "tstep"}))
      return AxisWord::interval;
    // A "sampling time" is the time from one to the next; with a unit of time it is no instant.
    if (any(w, {"sampling time", "abtastzeit", "tastzeit"}) ||
        (unit == AxisUnit::time && (any(w, {"sample time", "scan time"}) || alone({"sampling", "sampled"}))))
      return AxisWord::interval;
  }
  if (unit != AxisUnit::time &&
      ((of_recording(w) && of_rate(w)) || alone({"fs", "rate", "sr", "sps", "srate"})))
    return AxisWord::rate;
  if (unit == AxisUnit::frequency && of_recording(w)) return AxisWord::rate;
  if (unit == AxisUnit::none && (any(w, {"record length", "number of points", "no of points",
                                         "number of samples", "sample count", "points", "samples"}) ||
                                 alone({"npts", "npt"})))
    return AxisWord::count;
  return AxisWord::none;
}

}  // namespace vprism
