// unit_words.cpp: see unit_words.h.
#include "base/units/unit_words.h"

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

#include "base/text.h"

namespace vprism {

std::string unit_for_library(std::string_view text) {
  static const std::map<std::string, std::string, std::less<>> words = {{"g", "(9.80665 m/s^2)"},
                                                                        {"с", "s"},
                                                                        {"сек", "s"},
                                                                        {"мс", "ms"},
                                                                        {"мкс", "us"},
                                                                        {"мин", "min"},
                                                                        {"ч", "h"},
                                                                        {"В", "V"},
                                                                        {"мВ", "mV"},
                                                                        {"мкВ", "uV"},
                                                                        {"кВ", "kV"},
                                                                        {"А", "A"},
                                                                        {"мА", "mA"},
                                                                        {"мкА", "uA"},
                                                                        {"кА", "kA"},
                                                                        {"Гц", "Hz"},
                                                                        {"кГц", "kHz"},
                                                                        {"МГц", "MHz"},
                                                                        {"Н", "N"},
                                                                        {"кН", "kN"},
                                                                        {"Па", "Pa"},
                                                                        {"кПа", "kPa"},
                                                                        {"МПа", "MPa"},
                                                                        {"бар", "bar"},
                                                                        {"Вт", "W"},
                                                                        {"кВт", "kW"},
                                                                        {"Ом", "ohm"},
                                                                        {"м", "m"},
                                                                        {"мм", "mm"},
                                                                        {"мкм", "um"},
                                                                        {"см", "cm"},
                                                                        {"кг", "kg"},
                                                                        {"м/с", "m/s"},
                                                                        {"мм/с", "mm/s"},
                                                                        {"м/с²", "m/s^2"},
                                                                        {"м/с2", "m/s^2"},
                                                                        {"м/с^2", "m/s^2"},
                                                                        {"об/мин", "rpm"},
                                                                        {"°С", "degC"},
                                                                        {"Нм", "(N.m)"},
                                                                        {"Н·м", "(N.m)"},
                                                                        {"дБ", "1"},
                                                                        {"град", "degree"},
                                                                        {"gn", "(9.80665 m/s^2)"},
                                                                        {"mg", "(9.80665e-3 m/s^2)"},
                                                                        {"ug", "(9.80665e-6 m/s^2)"},
                                                                        {"FS", "1"},
                                                                        {"dB", "1"},
                                                                        {"rev", "turn"},
                                                                        {"Ohm", "ohm"},
                                                                        {"OHM", "ohm"},
                                                                        {"sec", "s"},
                                                                        {"secs", "s"},
                                                                        {"Sec", "s"},
                                                                        {"mins", "min"},
                                                                        {"msec", "ms"},
                                                                        {"usec", "us"},
                                                                        {"volts", "V"},
                                                                        {"volt", "V"},
                                                                        {"Volt", "V"},
                                                                        {"Volts", "V"},
                                                                        {"VOLTS", "V"},
                                                                        {"amps", "A"},
                                                                        {"Amps", "A"},
                                                                        {"amp", "A"},
                                                                        {"Amp", "A"},
                                                                        {"pts", "1"},
                                                                        {"Seconds", "s"},
                                                                        {"Second", "s"},
                                                                        {"sps", "Hz"},
                                                                        {"KHz", "kHz"},
                                                                        {"deg", "degree"},
                                                                        {"Nm", "(N.m)"},
                                                                        {"kNm", "(kN.m)"},
                                                                        {"MNm", "(MN.m)"},
                                                                        {"mNm", "(mN.m)"},
                                                                        {"uNm", "(uN.m)"},
                                                                        {"Ncm", "(N.cm)"},
                                                                        {"Nmm", "(N.mm)"},
                                                                        {"Wh", "(W.h)"},
                                                                        {"mWh", "(mW.h)"},
                                                                        {"kWh", "(kW.h)"},
                                                                        {"MWh", "(MW.h)"},
                                                                        {"Ah", "(A.h)"},
                                                                        {"mAh", "(mA.h)"},
                                                                        {"kvar", "(kV.A)"},
                                                                        {"Mvar", "(MV.A)"},
                                                                        {"VAr", "(V.A)"},
                                                                        {"kVAr", "(kV.A)"},
                                                                        {"PSI", "psi"},
                                                                        {"RPM", "rpm"},
                                                                        {"kn", "knot"},
                                                                        {"mph", "(mile/h)"},
                                                                        {"kph", "(km/h)"},
                                                                        {"cfm", "(ft^3/min)"},
                                                                        {"gpm", "(US_liquid_gallon/min)"},
                                                                        {"sccm", "(cm^3/min)"},
                                                                        {"slpm", "(liter/min)"},
                                                                        {"dps", "(degree/s)"},
                                                                        {"hrs", "h"},
                                                                        {"Hrs", "h"},
                                                                        {"microstrain", "1e-6"},
                                                                        {"ustrain", "1e-6"},
                                                                        {"cts", "count"},
                                                                        {"LSB", "1"},
                                                                        {"dBA", "1"},
                                                                        {"dBC", "1"},
                                                                        {"dBFS", "1"},
                                                                        {"dBr", "1"},
                                                                        {"dBc", "1"},
                                                                        {"dBu", "1"},
                                                                        {"dBuV", "1"}};
  // Written otherwise than as products of words.
  static const std::map<std::string, std::string, std::less<>> whole = {{"\u00b5\u03b5", "1e-6"},
                                                                        {"\u03bc\u03b5", "1e-6"},
                                                                        {"u\u03b5", "1e-6"},
                                                                        {"ue", "1e-6"},
                                                                        {"\u03b5", "1"},
                                                                        {"U/min", "rpm"},
                                                                        {"r/min", "rpm"},
                                                                        {"RPM", "rpm"},
                                                                        {"%RH", "%"},
                                                                        {"% RH", "%"},
                                                                        {"%rH", "%"},
                                                                        {"%rh", "%"},
                                                                        {"% rH", "%"},
                                                                        {"ips", "inch/s"},
                                                                        {"lb-ft", "lbf.ft"},
                                                                        {"ft-lb", "lbf.ft"},
                                                                        {"lbf-ft", "lbf.ft"},
                                                                        {"ft-lbf", "lbf.ft"},
                                                                        {"in-lb", "lbf.inch"},
                                                                        {"in-lbf", "lbf.inch"},
                                                                        {"deg C", "degC"},
                                                                        {"deg F", "degF"},
                                                                        {"deg. F", "degF"},
                                                                        {"degrees C", "degC"},
                                                                        {"degrees F", "degF"},
                                                                        {"\u00b0 C", "degC"},
                                                                        {"\u00b0 F", "degF"},
                                                                        {"\u00baC", "degC"},
                                                                        {"Deg C", "degC"},
                                                                        {"Deg. C", "degC"},
                                                                        {"deg. C", "degC"},
                                                                        {"DegC", "degC"},
                                                                        {"Deg F", "degF"},
                                                                        {"DegF", "degF"},
                                                                        {"mmH2O", "9.80665 Pa"},
                                                                        {"cmH2O", "98.0665 Pa"},
                                                                        {"inH2O", "249.08891 Pa"},
                                                                        {"mH2O", "9806.65 Pa"},
                                                                        {"mWS", "9806.65 Pa"},
                                                                        {"Nm3/h", "m^3/h"},
                                                                        {"Nm\u00b3/h", "m^3/h"}};
  if (const auto word = whole.find(text); word != whole.end()) return word->second;
  // What a unit is of, right behind it, is no factor: "bar(a)", "dB(A)", "kPa(abs)", "barg", "psia".
  if (const std::size_t open = text.find('('); open != std::string_view::npos && open > 0 &&
                                               text.back() == ')' && text[open - 1] != ' ' &&
                                               text.size() - open <= 7) {
    const std::string_view inside = text.substr(open + 1, text.size() - open - 2);
    const auto letter = [](char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; };
    if (!inside.empty() && std::all_of(inside.begin(), inside.end(), letter) &&
        std::all_of(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(open), letter))
      return unit_for_library(text.substr(0, open));
  }
  for (const std::string_view pressure : {"bar", "mbar", "psi", "Pa", "hPa", "kPa", "MPa"})
    if (text.size() == pressure.size() + 1 && text.substr(0, pressure.size()) == pressure &&
        (text.back() == 'a' || text.back() == 'g'))
      return std::string(pressure);
  // What is said of a level beside its unit: "V rms", "Vpp", "mm/s RMS", "grms".
  for (const std::string_view tail : {" rms", " RMS", " pk-pk", " p-p", " pp", " pk", " peak", "rms", "RMS",
                                      "pp", "pk", "dc", "ac", "DC", "AC"}) {
    if (text.size() <= tail.size() || text.substr(text.size() - tail.size()) != tail) continue;
    const std::string_view stem = trimmed(text.substr(0, text.size() - tail.size()));
    static const std::set<std::string, std::less<>> stems = {"V",  "mV", "uV", "kV", "A",  "mA", "uA",
                                                             "kA", "g",  "mg", "G",  "Pa", "N",  "W"};
    if (tail[0] == ' ' || stems.count(stem) > 0)
      return unit_for_library(stem == "G" ? std::string_view("g") : stem);
  }
  static const std::map<std::string, std::string, std::less<>> cyrillic = {
      {"\u0441", "s"},
      {"\u043c\u0441", "ms"},
      {"\u043c\u043a\u0441", "us"},
      {"\u0441\u0435\u043a", "s"},
      {"\u0412", "V"},
      {"\u043c\u0412", "mV"},
      {"\u0410", "A"},
      {"\u043c\u0410", "mA"},
      {"\u0413\u0446", "Hz"},
      {"\u043a\u0413\u0446", "kHz"},
      {"\u043c\u043c", "mm"},
      {"\u043c", "m"},
      {"\u0433\u0440\u0430\u0434", "degree"}};
  if (const auto word = cyrillic.find(text); word != cyrillic.end()) return word->second;
  // Samples per second with any prefix: "kS/s", "MSa/s".
  for (const std::string_view tail : {"Sa/s", "S/s"}) {
    if (text.size() >= tail.size() && text.size() <= tail.size() + 1 &&
        text.substr(text.size() - tail.size()) == tail)
      return std::string(text.substr(0, text.size() - tail.size())) + "Hz";
  }
  std::string out;
  for (std::size_t i = 0; i < text.size();) {
    std::size_t end = i;
    while (end < text.size() && std::isalpha(static_cast<unsigned char>(text[end]))) ++end;
    if (end == i) {
      out += text[i++];
      continue;
    }
    const std::string_view word = text.substr(i, end - i);
    const auto found = words.find(word);
    out += found == words.end() ? std::string(word) : found->second;
    i = end;
  }
  return out;
}

}  // namespace vprism
