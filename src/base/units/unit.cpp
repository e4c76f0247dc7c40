// unit.cpp: UDUNITS-2 behind a lock (its parser keeps state), loaded at the first unit that is asked for.
#include "base/units/unit.h"

#include <udunits2.h>

#include <array>
#include <cctype>
#include <map>
#include <mutex>
#include <numbers>
#include <vector>

#include "base/error.h"
#include "base/text.h"
#include "base/units/unit_words.h"

namespace vprism {

class UnitLibrary {
 public:
  static UnitLibrary& get() {
    if (adopted != nullptr) return *adopted;
    static UnitLibrary library;
    return library;
  }
  static inline UnitLibrary* adopted = nullptr;
  std::mutex lock;
  ut_system* system = nullptr;

 private:
  UnitLibrary() {
    ut_set_error_message_handler(ut_ignore);
    system = ut_read_xml(nullptr);
    if (system == nullptr)
      throw Error(Status::input, "the unit database of UDUNITS-2 can't be read; install libudunits2-data");
  }
};

UnitLibrary& unit_library() { return UnitLibrary::get(); }
void adopt_unit_library(UnitLibrary& library) { UnitLibrary::adopted = &library; }

namespace {

bool compound(std::string_view text) { return text.find_first_of("/* .") != std::string_view::npos; }
std::string grouped(const std::string& text) { return compound(text) ? "(" + text + ")" : text; }

}  // namespace

namespace {

/// Of units that are one over a time: whether an angle stands above it.
enum class Rate { none, plain, angular };

Rate rate_of(const ut_unit* unit) {
  char text[128];
  const int length = ut_format(unit, text, sizeof text, UT_ASCII | UT_DEFINITION);
  if (length <= 0 || length >= static_cast<int>(sizeof text)) return Rate::none;
  std::string_view rest(text);
  // "0.10471975511966 rad.s-1"
  if (const std::size_t blank = rest.find(' '); blank != std::string_view::npos)
    rest.remove_prefix(blank + 1);
  if (rest == "s-1") return Rate::plain;
  return rest == "rad.s-1" || rest == "s-1.rad" ? Rate::angular : Rate::none;
}

}  // namespace

struct Unit::Meaning {
  explicit Meaning(ut_unit* u) : unit(u), rate(rate_of(u)) {}
  ~Meaning() { ut_free(unit); }
  Meaning(const Meaning&) = delete;
  Meaning& operator=(const Meaning&) = delete;
  ut_unit* unit;
  Rate rate;
};

Unit::Unit() : text_("1") {
  UnitLibrary& library = UnitLibrary::get();
  const std::lock_guard guard(library.lock);
  meaning_ = std::make_shared<Meaning>(ut_get_dimensionless_unit_one(library.system));
}

std::optional<Unit> Unit::try_parse(std::string_view text) {
  text = trimmed(text);
  if (text.empty() || text.size() > 60) return std::nullopt;
  const std::string meant = unit_for_library(text);
  Unit out = opaque(text);
  UnitLibrary& library = UnitLibrary::get();
  const std::lock_guard guard(library.lock);
  ut_unit* unit = ut_parse(library.system, meant.c_str(), UT_UTF8);
  if (unit == nullptr) return std::nullopt;
  out.meaning_ = std::make_shared<Meaning>(unit);
  return out;
}

Unit Unit::parse(std::string_view text) {
  if (const auto unit = try_parse(text)) return *unit;
  static const std::vector<std::string> common = {"Hz",  "kHz", "MHz", "GHz",  "s",     "ms", "us", "ns",
                                                  "min", "h",   "V",   "mV",   "uV",    "kV", "A",  "mA",
                                                  "Pa",  "N",   "g",   "W",    "m",     "mm", "um", "nm",
                                                  "rad", "deg", "m/s", "m/s2", "m/s^2", "%",  "dB", "mrad"};
  std::string line = "\"" + clean_text(text, 60) + "\" is not a unit";
  const std::string near = nearest_name(text, common);
  line += near.empty() ? "; write for example Hz, ms, V, m/s^2" : "; did you mean \"" + near + "\"?";
  throw Error(Status::usage, line);
}

std::optional<UnitPowers> Unit::powers() const {
  if (!known()) return std::nullopt;
  // "0.001 m2.kg.s-3.A-1", "K @ 273.15": the powers are read, factor and offset follow by conversion.
  char text[256] = {};
  {
    UnitLibrary& library = UnitLibrary::get();
    const std::lock_guard guard(library.lock);
    const int length = ut_format(meaning_->unit, text, sizeof text - 1, UT_ASCII | UT_DEFINITION);
    if (length < 0 || length >= static_cast<int>(sizeof text)) return std::nullopt;
  }
  UnitPowers out;
  std::string base, word;
  std::string_view rest = text;
  if (const std::size_t at = rest.find('@'); at != std::string_view::npos) rest = rest.substr(0, at);
  const auto take = [&](const std::string& part) {
    if (part.empty() || (part[0] >= '0' && part[0] <= '9') || part[0] == '-' || part[0] == '+') return true;
    std::size_t letters = 0;
    while (letters < part.size() && std::isalpha(static_cast<unsigned char>(part[letters]))) ++letters;
    const std::string name = part.substr(0, letters);
    const int power = letters == part.size() ? 1 : std::atoi(part.c_str() + letters);
    if (name != "rad")
      for (std::size_t i = 0; i <= UnitPowers::count; ++i) {
        if (i == UnitPowers::count) return false;
        if (name != UnitPowers::names[i]) continue;
        out.powers[i] += power;
        break;
      }
    base += (base.empty() ? "" : ".") + part;
    return true;
  };
  // Numbers hold points as well: parts of the product begin with a letter.
  for (std::size_t i = 0; i <= rest.size(); ++i) {
    const char c = i < rest.size() ? rest[i] : ' ';
    const bool next_is_letter = i + 1 < rest.size() && std::isalpha(static_cast<unsigned char>(rest[i + 1]));
    if (c == ' ' || c == '(' || c == ')' || (c == '.' && next_is_letter)) {
      if (!take(word)) return std::nullopt;
      word.clear();
    } else {
      word += c;
    }
  }
  const auto si = try_parse(base.empty() ? "1" : base);
  if (!si || !converts_to(*si)) return std::nullopt;
  const Conversion to_si = conversion(*si);
  out.factor = to_si.factor, out.offset = to_si.offset;
  return out;
}

Unit Unit::opaque(std::string_view text) { return Unit(clean_text(trimmed(text), 60), nullptr); }

std::string Unit::label() const {
  static const std::array<const char*, 10> raised = {"\u2070", "\u00B9", "\u00B2", "\u00B3", "\u2074",
                                                     "\u2075", "\u2076", "\u2077", "\u2078", "\u2079"};
  std::string out;
  for (std::size_t i = 0; i < text_.size(); ++i) {
    const bool power =
        text_[i] == '^' && i + 1 < text_.size() && std::isdigit(static_cast<unsigned char>(text_[i + 1]));
    if (power)
      out += raised[static_cast<std::size_t>(text_[++i] - '0')];
    else
      out += text_[i];
  }
  return out;
}

bool Unit::dimensionless() const {
  if (!known()) return false;
  const std::lock_guard guard(UnitLibrary::get().lock);
  return ut_is_dimensionless(meaning_->unit) != 0;
}

bool Unit::converts_to(const Unit& other) const {
  if (!known() || !other.known()) return text_ == other.text_;
  const std::lock_guard guard(UnitLibrary::get().lock);
  // UDUNITS-2 would also turn seconds into hertz, by taking reciprocals; here that is a mistake.
  ut_unit* ratio = ut_divide(meaning_->unit, other.meaning_->unit);
  const bool same = ratio != nullptr && ut_is_dimensionless(ratio) != 0;
  ut_free(ratio);
  return same && ut_are_convertible(meaning_->unit, other.meaning_->unit) != 0;
}

double Unit::convert(double value, const Unit& other) const {
  if (text_ == other.text_) return value;
  if (!converts_to(other))
    throw Error(Status::usage, "\"" + text_ + "\" can't be converted to \"" + other.text_ + "\"");
  const std::lock_guard guard(UnitLibrary::get().lock);
  cv_converter* converter = ut_get_converter(meaning_->unit, other.meaning_->unit);
  double converted = cv_convert_double(converter, value);
  cv_free(converter);
  // A hertz is a turn a second: UDUNITS-2 takes an angle for a plain number, and a turn for 2 pi of them.
  if (meaning_->rate != other.meaning_->rate && meaning_->rate != Rate::none &&
      other.meaning_->rate != Rate::none)
    converted *= meaning_->rate == Rate::angular ? 1 / (2 * std::numbers::pi) : 2 * std::numbers::pi;
  return converted;
}

Conversion Unit::conversion(const Unit& other) const {
  if (*this == other) return {};
  const double offset = convert(0, other);
  return {convert(1, other) - offset, offset};
}

namespace {

/// "m/s^2" in "s": {"m", -2}; what does not end in such a power is its own base, with power 0.
std::pair<std::string, int> power_at_end(const std::string& text, const std::string& factor) {
  for (const char sign : {'/', '*'}) {
    const std::size_t at = text.rfind(sign + factor);
    if (at == std::string::npos || at == 0) continue;
    const std::string tail = text.substr(at + 1 + factor.size());
    int power = 0;
    if (tail.empty()) power = 1;
    if (tail.size() == 2 && tail[0] == '^' && tail[1] >= '2' && tail[1] <= '9') power = tail[1] - '0';
    if (power > 0) return {text.substr(0, at), sign == '/' ? -power : power};
  }
  return {text, 0};
}

/// `text` with the power of `factor` at its end raised by one, or lowered.
std::string with_power(const std::string& text, const std::string& factor, int raise) {
  auto [base, power] = power_at_end(text, factor);
  if (power == 0) base = grouped(base);
  power += raise;
  if (power == 0) return base;
  const std::string size = std::abs(power) > 1 ? "^" + std::to_string(std::abs(power)) : "";
  return base + (power < 0 ? "/" : "*") + factor + size;
}

}  // namespace

Unit Unit::over(const Unit& other) const {
  if (text_ == other.text_) return {};
  if (other.text_ == "1") return *this;
  Unit out = opaque(with_power(text_, grouped(other.text_), -1));
  if (known() && other.known()) {
    const std::lock_guard guard(UnitLibrary::get().lock);
    out.meaning_ = std::make_shared<Meaning>(ut_divide(meaning_->unit, other.meaning_->unit));
  }
  return out;
}

Unit Unit::times(const Unit& other) const {
  if (text_ == "1") return other;
  if (other.text_ == "1") return *this;
  Unit out =
      opaque(text_ == other.text_ ? grouped(text_) + "^2" : with_power(text_, grouped(other.text_), 1));
  if (known() && other.known()) {
    const std::lock_guard guard(UnitLibrary::get().lock);
    out.meaning_ = std::make_shared<Meaning>(ut_multiply(meaning_->unit, other.meaning_->unit));
  }
  return out;
}

std::pair<Unit, double> times_seconds(Unit unit, int power) {
  double factor = 1;
  if (unit.text().find("/s") == std::string::npos)
    for (const char* plain : {"m/s^2", "m/s"})
      if (const Unit known = Unit::parse(plain); unit.known() && unit.converts_to(known)) {
        factor = unit.convert(1, known);
        unit = known;
        break;
      }
  const Unit second = Unit::parse("s");
  for (; power > 0; --power) unit = unit.times(second);
  for (; power < 0; ++power) unit = unit.over(second);
  return {unit, factor};
}

}  // namespace vprism
