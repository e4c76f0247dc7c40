// unit.h: physical units, read and converted by UDUNITS-2.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>

namespace vprism {

/// What a unit is in SI: a value of it is factor times value plus offset of its base units to their powers.
struct UnitPowers {
  static constexpr std::size_t count = 7;
  static constexpr const char* names[count] = {"m", "kg", "s", "A", "K", "mol", "cd"};
  std::array<double, count> powers{};
  double factor = 1, offset = 0;
};

/// y = factor x + offset, as between two units of one quantity.
struct Conversion {
  double factor = 1, offset = 0;
  double operator()(double x) const { return factor * x + offset; }
  bool plain() const { return factor == 1 && offset == 0; }
  /// This one first, then the other.
  Conversion then(const Conversion& next) const { return {factor * next.factor, next(offset)}; }
};

/// A unit as the user or the file wrote it, with its meaning if it has one.
///
/// What differs from UDUNITS-2, because the trade writes it so: `g` (and `mg`, `ug`) is standard gravity, not
/// gram (`kg` stays the mass); `S/s`, `Sa/s` and `sps` are samples per second, read as Hz; `FS` is full scale
/// and `dB` a plain level, both without dimension.
class Unit {
 public:
  /// Dimensionless, written "1".
  Unit();
  /// Throws Error(usage) with the nearest known unit if the text has no meaning.
  static Unit parse(std::string_view text);
  static std::optional<Unit> try_parse(std::string_view text);
  /// A unit that can't be read: kept as text, converts to nothing but itself.
  static Unit opaque(std::string_view text);

  const std::string& text() const { return text_; }
  /// Text with raised exponents: "m/s^2" -> "m/s\u00B2".
  std::string label() const;
  bool known() const { return meaning_ != nullptr; }
  bool dimensionless() const;
  bool converts_to(const Unit& other) const;
  /// `value` of this unit in the other. Throws Error(usage) when the two do not fit.
  double convert(double value, const Unit& other) const;
  /// For many values; throws alike.
  Conversion conversion(const Unit& other) const;
  /// Nothing for a unit that is not known, or no power of base units (a logarithm). Angles count as plain
  /// numbers.
  std::optional<UnitPowers> powers() const;
  /// This unit divided by (times) the other. Equal units cancel to "1"; a power of the other at the end is
  /// counted on: "m/s^2" times "s" is "m/s".
  Unit over(const Unit& other) const;
  Unit times(const Unit& other) const;
  friend bool operator==(const Unit& a, const Unit& b) { return a.text_ == b.text_; }

 private:
  struct Meaning;
  Unit(std::string text, std::shared_ptr<const Meaning> meaning)
      : text_(std::move(text)), meaning_(std::move(meaning)) {}
  std::string text_;
  std::shared_ptr<const Meaning> meaning_;
};

/// `unit` times s^power, and the factor that its numbers take: "m/s^2" gives "m/s", "g" gives "m/s" and
/// 9.80665.
std::pair<Unit, double> times_seconds(Unit unit, int power);

/// Units of two unit libraries do not convert: a part of the program that is loaded later and has a copy of
/// this code adopts the library of the part that loads it, before its first unit.
class UnitLibrary;
UnitLibrary& unit_library();
void adopt_unit_library(UnitLibrary& library);

}  // namespace vprism
