// recording.cpp: see recording.h.
#include "signal/recording.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <unordered_map>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

std::string_view severity_name(Severity severity) {
  static constexpr std::array<std::string_view, 3> names = {"note", "warning", "serious"};
  return names[static_cast<std::size_t>(severity)];
}

std::string Recording::stem() const {
  std::string_view name = file;
  if (const auto slash = name.find_last_of('/'); slash != std::string_view::npos)
    name.remove_prefix(slash + 1);
  if (const auto dot = name.find_last_of('.'); dot != std::string_view::npos && dot > 0)
    name = name.substr(0, dot);
  return clean_file_name(name);
}

double seconds_between(std::int64_t from_ns, std::int64_t to_ns) {
  std::int64_t passed = 0;
  if (!__builtin_sub_overflow(to_ns, from_ns, &passed)) return static_cast<double>(passed) * 1e-9;
  return (static_cast<double>(to_ns) - static_cast<double>(from_ns)) * 1e-9;
}

std::string quantity_of(const Unit& unit) {
  struct Row {
    Unit unit;
    const char* quantity;
  };
  static const std::vector<Row> rows = [] {
    std::vector<Row> made;
    for (const auto& [text, quantity] : {std::pair{"V", "voltage"},
                                         {"A", "current"},
                                         {"m/s^2", "acceleration"},
                                         {"m/s", "velocity"},
                                         {"m", "displacement"},
                                         {"N", "force"},
                                         {"Pa", "pressure"},
                                         {"W", "power"},
                                         {"K", "temperature"},
                                         {"Hz", "frequency"},
                                         {"s", "time"},
                                         {"N m", "torque"},
                                         {"C", "charge"},
                                         {"T", "flux density"}})
      made.push_back({Unit::parse(text), quantity});
    return made;
  }();
  if (!unit.known() || unit.dimensionless()) return "";
  for (const Row& row : rows)
    if (unit.converts_to(row.unit)) {
      // Of one dimension.
      const bool energy =
          unit.text().find_first_of("JW") != std::string::npos || unit.text().find("eV") != std::string::npos;
      return energy && std::string_view(row.quantity) == "torque" ? "energy" : row.quantity;
    }
  return "";
}

namespace {

bool in_capitals(std::string_view text) {
  return std::none_of(text.begin(), text.end(),
                      [](char c) { return (c >= 'a' && c <= 'z') || (c & 0x80) != 0; });
}

/// "TIME (S)", "ACC (G)", "VEL (M/S)": programs that write capitals only. A unit that can't be read so is
/// that of small letters, but for prefixes, which would be others; a time's is one of time.
std::optional<Unit> meant_in_capitals(std::string_view name, std::string_view unit_text,
                                      const std::optional<Unit>& read, bool all_capitals) {
  const std::string small = lower_case(unit_text);
  const std::string called = lower_case(trimmed(name));
  if (called == "t" || called.find("time") != std::string::npos || called.find("zeit") != std::string::npos) {
    if (const auto unit = Unit::try_parse(small); unit && unit->converts_to(Unit::parse("s"))) return unit;
    for (const char* word : {"sec", "secs"})
      if (small == word) return Unit::parse("s");
    if (small == "msec") return Unit::parse("ms");
  }
  if (!all_capitals) return read;
  if (unit_text == "PA") return Unit::parse("Pa");  // No petaampere.
  // Gauss is written so, too.
  if (unit_text == "G" && called.find("acc") != std::string::npos) return Unit::parse("g");
  if (read) return read;
  static constexpr std::pair<std::string_view, std::string_view> spelled[] = {
      {"KN", "kN"},         {"MM", "mm"},         {"CM", "cm"},         {"KHZ", "kHz"},
      {"MHZ", "MHz"},       {"HZ", "Hz"},         {"KPA", "kPa"},       {"MPA", "MPa"},
      {"KG", "kg"},         {"DEG", "deg"},       {"RAD", "rad"},       {"RAD/S", "rad/s"},
      {"MM/S", "mm/s"},     {"CM/S", "cm/s"},     {"M/S", "m/s"},       {"M/S2", "m/s2"},
      {"M/S^2", "m/s^2"},   {"M/S**2", "m/s^2"},  {"NM", "N m"},        {"CM/S2", "cm/s2"},
      {"MM/S2", "mm/s2"},   {"CM/S^2", "cm/s^2"}, {"MM/S^2", "mm/s^2"}, {"M", "m"},
      {"CM/S**2", "cm/s^2"}};
  for (const auto& [written, meant] : spelled)
    if (unit_text == written) return Unit::try_parse(meant);
  return {};
}

/// Whether what follows a word in parentheses, without a blank, is its unit and not what the word is of:
/// "V(in)" and "I(C)" are of a node and a part, "Re(H)" and "Im(S21)" are of responses, "U(V)" and
/// "phase(deg)" have units.
bool is_unit_of(std::string_view word, std::string_view inside) {
  auto unit = Unit::try_parse(inside);
  if (!unit && in_capitals(word)) unit = meant_in_capitals(word, inside, unit, true);
  if (!unit) return false;
  const std::string before = lower_case(trimmed(word));
  for (const auto& [name, of] : {std::pair("v", "V"), {"u", "V"}, {"i", "A"}})
    if (before == name) return unit->converts_to(Unit::parse(of));
  // Letters that stand for responses, impedances and admittances.
  static constexpr std::string_view of_response = "FGHSTYZ";
  static constexpr std::string_view parts[] = {"re",  "im",        "real", "imag",  "imaginary",
                                               "mag", "magnitude", "abs",  "phase", "amplitude",
                                               "arg", "angle",     "db"};
  const bool one_letter = inside.substr(1).find_first_not_of("0123456789") == std::string_view::npos;  // S21.
  return !one_letter || of_response.find(inside[0]) == std::string_view::npos ||
         std::find(std::begin(parts), std::end(parts), before) == std::end(parts);
}

bool is_statistic(const std::string& word) {
  static constexpr std::string_view words[] = {
      "rms", "avg", "mean",  "average", "max", "min",   "maximum", "minimum", "peak", "pk",   "pkpk", "pk-pk",
      "p-p", "std", "stdev", "ac",      "dc",  "ac+dc", "amp",     "median",  "inst", "crms", "smp"};
  return std::find(std::begin(words), std::end(words), word) != std::end(words);
}

}  // namespace

Channel channel_from_title(std::string_view title) {
  const std::string clean = clean_text(title);
  std::string_view text = trimmed(clean);
  // Marks of footnotes.
  while (text.size() > 2 && text.back() == '*') text = trimmed(text.substr(0, text.size() - 1));
  // "u [mV] @ 2 kHz": a unit in brackets goes before what is said behind it.
  if (const std::size_t at = text.find('@'); at != std::string_view::npos && at > 1) {
    const std::string_view before = trimmed(text.substr(0, at));
    if (!before.empty() && (before.back() == ']' || before.back() == ')')) text = before;
  }
  // "f (Hz)\\angle": in the corner of a table, what runs down, and what across.
  if (const std::size_t across = text.find('\\'); across != std::string_view::npos && across > 0)
    if (const std::string_view down = trimmed(text.substr(0, across));
        down.back() == ')' || down.back() == ']')
      text = down;
  Channel channel;
  const auto take = [&](std::string_view name, std::string_view unit_text, bool bracketed) {
    if (trimmed(name).empty() && !bracketed) return false;
    // "Level dB(A)": a weighted level, no current.
    name = trimmed(name);
    if (bracketed && unit_text.size() == 1 &&
        std::string_view("ABCZ").find(unit_text[0]) != std::string_view::npos &&
        (name == "dB" || name.ends_with(" dB") || name.ends_with("[dB") || name.ends_with("(dB"))) {
      name = trimmed(name.substr(0, name.size() - 2));
      while (!name.empty() && (name.back() == '[' || name.back() == '('))
        name = trimmed(name.substr(0, name.size() - 1));
      channel.name = std::string(name), channel.unit = Unit::opaque("dB" + std::string(unit_text));
      if (unit_text != "Z" && unit_text != "B") channel.unit = Unit::parse("dB" + std::string(unit_text));
      return true;
    }
    // "Temp (C)" is in degrees, no charge.
    const bool degrees =
        (unit_text == "C" || unit_text == "F") && lower_case(name).find("temp") != std::string::npos;
    auto unit = Unit::try_parse(degrees ? "deg" + std::string(unit_text) : std::string(unit_text));
    if (bracketed) unit = meant_in_capitals(name, unit_text, unit, in_capitals(clean));
    if (!unit && (!bracketed || unit_text.size() > (starts_with(unit_text, "dB") ? 24u : 12u))) return false;
    name = trimmed(name);
    // "|H|/(m/s²/N)": the stroke belongs to the unit.
    while (bracketed && name.size() > 1 && name.back() == '/')
      name = trimmed(name.substr(0, name.size() - 1));
    channel.name = std::string(name);
    channel.unit = unit ? *unit : Unit::opaque(unit_text);
    channel.quantity = quantity_of(channel.unit);
    return true;
  };
  // "Y[0]", "u(2)": which of several.
  if (const std::size_t open = text.find_last_of("[(");
      open != std::string_view::npos && open > 0 && text.size() > open + 2 && text[open - 1] != ' ' &&
      (text.back() == ']' || text.back() == ')') &&
      text.substr(open + 1, text.size() - open - 2).find_first_not_of("0123456789") ==
          std::string_view::npos) {
    channel.name = std::string(text);
    return channel;
  }
  // "Ch1(V) RMS": what of the channel it is stands behind its unit.
  if (const std::size_t blank = text.find_last_of(' '); blank != std::string_view::npos) {
    const std::string_view before = trimmed(text.substr(0, blank)), word = text.substr(blank + 1);
    if (!before.empty() && (before.back() == ')' || before.back() == ']') && is_statistic(lower_case(word))) {
      const Channel whole = channel_from_title(before);
      if (whole.unit.text() != "1" && !whole.name.empty()) {
        channel = whole;
        channel.name += " " + std::string(word);
        return channel;
      }
    }
  }
  // "Temp, °C (logger 2001, sensor 7)": the unit stands between the name and a remark.
  if (const std::size_t open = text.find('(');
      open != std::string_view::npos && open > 0 && text.back() == ')') {
    const std::string_view before = trimmed(text.substr(0, open)), inside = text.substr(open);
    const std::size_t comma = before.rfind(',');
    if (comma != std::string_view::npos && comma > 0 && inside.find(' ') != std::string_view::npos) {
      const std::string_view unit_text = trimmed(before.substr(comma + 1));
      if (!unit_text.empty() && Unit::try_parse(unit_text) &&
          take(before.substr(0, comma), unit_text, false)) {
        channel.name += " " + std::string(inside);
        return channel;
      }
    }
  }
  // "g^2/Hz", "m/s^2": a unit in place of a title, no g^2 in hertz.
  if (const std::size_t stroke = text.find('/'); stroke != std::string_view::npos && stroke > 0) {
    const bool powers =
        text.find('^') != std::string_view::npos || text.find("\xC2\xB2") != std::string_view::npos ||
        text.find("sqrt") != std::string_view::npos || text.find("\xE2\x88\x9A") != std::string_view::npos;
    const auto unit = powers ? Unit::try_parse(text) : std::nullopt;
    if (unit && (text[0] == '(' || Unit::try_parse(trimmed(text.substr(0, stroke))))) {
      channel.unit = *unit, channel.quantity = quantity_of(*unit);
      return channel;
    }
  }
  if (text.size() > 2) {
    const char open = text.back() == ')' ? '(' : text.back() == ']' ? '[' : text.back() == '}' ? '{' : '\0';
    if (open != '\0') {
      // The bracket that belongs to the last one, so that "a [V/(m/s2)]" keeps its unit whole.
      int depth = 0;
      for (std::size_t i = text.size(); i-- > 0;) {
        if (text[i] == text.back()) ++depth;
        if (text[i] == open && --depth == 0) {
          const std::string_view inside = trimmed(text.substr(i + 1, text.size() - i - 2));
          // "V(out)" is a name: what is set apart by nothing must be a unit that is known.
          const bool set_apart = open != '(' || i == 0 || text[i - 1] == ' ';
          if (!inside.empty() && (set_apart || is_unit_of(text.substr(0, i), inside)) &&
              take(text.substr(0, i), inside, true))
            return channel;
          break;
        }
      }
    }
    for (const char mark : {',', '/', '_'}) {
      const std::size_t at = mark == '/' ? text.find(mark) : text.find_last_of(mark);
      if (at == std::string_view::npos || at == 0) continue;
      const std::string_view tail = trimmed(text.substr(at + 1));
      // A lone letter or number behind '_' is an index far more often than a unit.
      // A lone letter is a unit only where the trade writes it so.
      const bool degrees = mark == '_' && (tail == "C" || tail == "F") &&
                           lower_case(text.substr(0, at)).find("temp") != std::string::npos;
      if (!degrees && tail.size() == 1 &&
          std::string_view("VANWgsmKJT").find(tail[0]) == std::string_view::npos)
        continue;
      // Words that happen to be units: "volt_in" is a name.
      static constexpr std::string_view words[] = {"in", "at",  "min",  "max",   "am",  "pm",
                                                   "as", "day", "week", "month", "year"};
      if (mark == '_' && std::find(std::begin(words), std::end(words), lower_case(tail)) != std::end(words))
        continue;
      if (mark == '_' && !degrees &&
          (tail.size() < 2 || tail.find_first_not_of("0123456789") == std::string_view::npos))
        continue;
      if (!tail.empty() && tail.find_first_of("0123456789") != 0 && take(text.substr(0, at), tail, false))
        return channel;
    }
  }
  channel.name = std::string(text);
  return channel;
}

void make_names_distinct(std::vector<Channel>& channels) {
  std::unordered_map<std::string, int> taken;  // With the number that the next of that name would get.
  for (std::size_t c = 0; c < channels.size(); ++c) {
    if (channels[c].name.empty()) channels[c].name = "channel " + std::to_string(c + 1);
    const std::string name = channels[c].name;
    while (!taken.try_emplace(channels[c].name, 2).second)
      channels[c].name = name + " (" + std::to_string(taken[name]++) + ")";
  }
}

bool glob_matches(std::string_view pattern, std::string_view text) {
  const std::string p = lower_case(pattern), t = lower_case(text);
  std::size_t i = 0, j = 0, star = std::string::npos, mark = 0;
  while (j < t.size()) {
    if (i < p.size() && p[i] == '*') {
      star = i++;
      mark = j;
    } else if (i < p.size() && (p[i] == '?' || p[i] == t[j])) {
      ++i, ++j;
    } else if (star != std::string::npos) {
      i = star + 1;
      j = ++mark;
    } else {
      return false;
    }
  }
  return p.find_first_not_of('*', i) == std::string::npos;
}

std::vector<std::size_t> select_channels(const Recording& recording,
                                         const std::vector<std::string>& patterns) {
  const std::size_t count = recording.channels.size();
  std::vector<bool> chosen(count, patterns.empty());
  // "1,3" is two of them, unless one is called so.
  std::vector<std::string> single;
  for (const std::string& pattern : patterns) {
    const bool name =
        std::any_of(recording.channels.begin(), recording.channels.end(),
                    [&](const Channel& c) { return c.name == pattern || glob_matches(pattern, c.name); });
    if (name || pattern.find(',') == std::string::npos)
      single.push_back(pattern);
    else
      for (const std::string& part : split(pattern, ',')) single.emplace_back(trimmed(part));
  }
  for (const std::string& pattern : single) {
    bool any = false;
    const auto choose = [&](auto matches) {
      for (std::size_t c = 0; c < count; ++c)
        if (matches(recording.channels[c].name)) chosen[c] = any = true;
    };
    choose([&](const std::string& name) { return name == pattern; });
    if (!any) choose([&](const std::string& name) { return glob_matches(pattern, name); });
    std::size_t number = 0;
    const auto [end, code] = std::from_chars(pattern.data(), pattern.data() + pattern.size(), number);
    if (!any && code == std::errc() && end == pattern.data() + pattern.size())
      for (std::size_t c = 0; c < count; ++c) {
        const std::size_t own = recording.channels[c].number;
        if ((own > 0 ? own : c + 1) == number) chosen[c] = any = true;
      }
    if (!any) {
      std::vector<std::string> names;
      for (const Channel& channel : recording.channels) names.push_back(channel.name);
      throw Error(Status::usage, recording.file + ": " + unknown_name("channel", pattern, names));
    }
  }
  std::vector<std::size_t> out;
  for (std::size_t c = 0; c < count; ++c)
    if (chosen[c]) out.push_back(c);
  return out;
}

}  // namespace vprism
