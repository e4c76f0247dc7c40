// expression.cpp: see expression.h.
#include "condition/computed/expression.h"

#include <muParser.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

bool starts_word(char c) {
  return std::isalpha(static_cast<unsigned char>(c)) || c == '_' || (c & '\x80') != 0;
}
bool in_word(char c) { return starts_word(c) || std::isdigit(static_cast<unsigned char>(c)) || c == '.'; }
bool in_unit(char c) { return in_word(c) || c == '/' || c == '^' || c == '%' || c == '-'; }

const std::vector<std::string>& functions() {
  static const std::vector<std::string> names = {"abs",  "sqrt", "exp",  "log",  "log10", "log2",  "sin",
                                                 "cos",  "tan",  "asin", "acos", "atan",  "atan2", "sinh",
                                                 "cosh", "tanh", "min",  "max",  "clamp", "sign"};
  return names;
}

double clamped(double x, double low, double high) { return std::min(std::max(x, low), high); }

}  // namespace

struct Expression::Inner {
  std::string text;
  mu::Parser parser;
  std::vector<std::size_t> needs;
  std::vector<UnitPowers> constants;       ///< Powers of numbers with units,
  std::vector<double> values;              ///< and their values in SI.
  std::vector<double> constant_room;       ///< One value for each of them.
  std::vector<std::vector<double>> rooms;  ///< Values of names and constants for bulk evaluation.

  [[noreturn]] void fail(const std::string& what) const {
    throw Error(Status::usage, "\"" + clean_text(text, 80) + "\": " + what);
  }

  std::size_t need(std::size_t name) {
    const auto known = std::find(needs.begin(), needs.end(), name);
    if (known == needs.end()) needs.push_back(name);
    return static_cast<std::size_t>(std::find(needs.begin(), needs.end(), name) - needs.begin());
  }

  /// Names and numbers with units as variables of plain names.
  std::string translated(const std::vector<std::string>& names) {
    std::string out;
    const auto use = [&](std::string_view name) {
      const auto found = std::find(names.begin(), names.end(), name);
      if (found == names.end()) fail(unknown_name("channel", name, names));
      out += "v" + std::to_string(need(static_cast<std::size_t>(found - names.begin())));
    };
    for (std::size_t i = 0; i < text.size();) {
      const char c = text[i];
      if (c == '"' || c == '\'') {
        const std::size_t end = text.find(c, i + 1);
        if (end == std::string::npos) fail("a quote without its end");
        use(std::string_view(text).substr(i + 1, end - i - 1));
        i = end + 1;
      } else if (std::isdigit(static_cast<unsigned char>(c)) ||
                 (c == '.' && i + 1 < text.size() && std::isdigit(static_cast<unsigned char>(text[i + 1])))) {
        i = take_number(i, out);
      } else if (starts_word(c)) {
        std::size_t end = i;
        while (end < text.size() && in_word(text[end])) ++end;
        const std::string word = text.substr(i, end - i);
        if (word == "pi")
          out += "_pi";
        else if (std::find(functions().begin(), functions().end(), word) != functions().end() &&
                 std::find(names.begin(), names.end(), word) == names.end())
          out += word == "log" ? "ln" : word;
        else
          use(word);
        i = end;
      } else {
        out += c == '\n' || c == '\t' ? ' ' : c;
        ++i;
      }
    }
    return out;
  }

  /// A number, and the unit behind a blank, if what stands there is one.
  std::size_t take_number(std::size_t at, std::string& out) {
    std::size_t used = 0;
    double value = 0;
    try {
      value = std::stod(text.substr(at), &used);
    } catch (const std::exception&) {
      fail("a number that can't be read");
    }
    std::size_t end = at + used;
    const std::size_t begin = end + 1;
    std::size_t stop = begin;
    if (end < text.size() && text[end] == ' ')
      while (stop < text.size() && in_unit(text[stop])) ++stop;
    for (; stop > begin; --stop) {
      const auto unit = Unit::try_parse(std::string_view(text).substr(begin, stop - begin));
      const auto powers = unit ? unit->powers() : std::nullopt;
      if (!powers) continue;
      constants.push_back(*powers);
      values.push_back(powers->factor * value + powers->offset);
      out += "k" + std::to_string(constants.size() - 1);
      return stop;
    }
    out += text.substr(at, used);
    return end;
  }

  double once(const std::vector<double>& of_needed, const std::vector<double>& of_constants) {
    for (std::size_t i = 0; i < needs.size(); ++i) rooms[i][0] = of_needed[i];
    for (std::size_t i = 0; i < constants.size(); ++i) rooms[needs.size() + i][0] = of_constants[i];
    define();
    return parser.Eval();
  }
  void define() {
    for (std::size_t i = 0; i < rooms.size(); ++i)
      parser.DefineVar(
          (i < needs.size() ? "v" : "k") + std::to_string(i < needs.size() ? i : i - needs.size()),
          rooms[i].data());
  }
};

Expression::Expression(const std::string& text, const std::vector<std::string>& names)
    : inner_(std::make_unique<Inner>()) {
  Inner& in = *inner_;
  in.text = std::string(trimmed(text));
  if (in.text.empty()) throw Error(Status::usage, "an expression is missing behind \"=\"");
  if (in.text.size() > 4000) throw Error(Status::usage, "an expression of more than 4000 characters");
  const std::string plain = in.translated(names);
  in.rooms.assign(in.needs.size() + in.constants.size(), std::vector<double>(1, 1.0));
  try {
    in.parser.DefineFun("clamp", clamped);
    in.define();
    in.parser.SetExpr(plain);
    in.parser.Eval();
  } catch (const mu::Parser::exception_type& error) {
    in.fail(clean_text(error.GetMsg(), 120));
  }
  if (in.needs.empty()) in.fail("no channel in it");
}
Expression::~Expression() = default;
Expression::Expression(Expression&&) noexcept = default;
Expression& Expression::operator=(Expression&&) noexcept = default;

const std::vector<std::size_t>& Expression::needs() const { return inner_->needs; }

Unit Expression::unit_of(const std::vector<Unit>& of_needed) {
  Inner& in = *inner_;
  std::vector<UnitPowers> powers;
  std::string units;
  for (const Unit& unit : of_needed) {
    const auto known = unit.powers();
    if (!known)
      in.fail("the unit \"" + unit.text() + "\" is not known; name it with --calibrate 'CHANNEL: unit UNIT'");
    powers.push_back(*known);
    units += (units.empty() ? "" : ", ") + unit.label();
  }
  std::mt19937_64 random(1);
  std::uniform_real_distribution<double> uniform(0.3, 3);
  std::array<double, UnitPowers::count> result{};
  for (std::size_t base = 0; base < UnitPowers::count; ++base) {
    bool known = false;
    for (int tried = 0; tried < 48; ++tried) {
      // Also of other signs and sizes: comparisons and limits then take another way.
      std::vector<double> plain, scaled, fixed = in.values, moved = in.values;
      const double step = tried % 2 == 0 ? 2 : 8;
      for (const UnitPowers& p : powers) {
        plain.push_back(uniform(random) * (tried >= 12 && random() % 2 == 0 ? -1 : 1) *
                        (tried >= 24 ? std::pow(10, std::round(6 * (uniform(random) - 1.65))) : 1));
        scaled.push_back(plain.back() * std::pow(step, p.powers[base]));
      }
      for (std::size_t k = 0; k < moved.size(); ++k) moved[k] *= std::pow(step, in.constants[k].powers[base]);
      const double a = in.once(plain, fixed), b = in.once(scaled, moved);
      if (!std::isfinite(a) || !std::isfinite(b) || (a == 0 && b == 0)) continue;
      const double power = a != 0 && b / a > 0 ? std::log(b / a) / std::log(step) : std::nan("");
      const double whole = std::round(4 * power) / 4;
      if (!(std::abs(power - whole) < 1e-6) || (known && whole != result[base]))
        in.fail("unlike things are added, compared or put into a function (" + units +
                "); a number among them needs its unit, such as 2.5 V");
      result[base] = whole, known = true;
    }
  }
  std::string text;
  for (std::size_t base = 0; base < UnitPowers::count; ++base) {
    if (result[base] == 0) continue;
    if (result[base] != std::round(result[base]))
      in.fail("its unit would hold a root of a unit; multiply it to a whole power");
    text += (text.empty() ? "" : ".") + std::string(UnitPowers::names[base]) +
            (result[base] == 1 ? "" : std::to_string(static_cast<int>(result[base])));
  }
  return text.empty() ? Unit() : Unit::parse(text);
}

void Expression::evaluate(const std::vector<const double*>& of_needed, std::span<double> results) {
  Inner& in = *inner_;
  if (results.empty()) return;
  // The parser takes variables that may change: a copy keeps the channels as they are.
  for (std::size_t i = 0; i < in.needs.size(); ++i)
    in.rooms[i].assign(of_needed[i], of_needed[i] + results.size());
  for (std::size_t k = 0; k < in.constants.size(); ++k)
    in.rooms[in.needs.size() + k].assign(results.size(), in.values[k]);
  in.define();
  in.parser.Eval(results.data(), static_cast<int>(results.size()));
}

}  // namespace vprism
