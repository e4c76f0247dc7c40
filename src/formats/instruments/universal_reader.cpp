// universal_reader.cpp: recordings from universal files. Functions with the same kind of function, axis and
// length are the channels of one part.
#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/field_source.h"
#include "formats/instruments/universal.h"
#include "formats/text/rows/row_source.h"

namespace vprism {

namespace {

const char* function_name(int type) {
  static constexpr const char* names[] = {"general",
                                          "time response",
                                          "auto spectrum",
                                          "cross spectrum",
                                          "frequency response",
                                          "transmissibility",
                                          "coherence",
                                          "auto correlation",
                                          "cross correlation",
                                          "power spectral density",
                                          "energy spectral density",
                                          "probability density",
                                          "spectrum"};
  return type >= 0 && type <= 12 ? names[type] : "function";
}

/// SI unit of a "specific data type"; the values of a file without unit labels are in SI as a rule.
const char* unit_of_kind(int kind) {
  switch (kind) {
    case 2:
    case 15:
      return "Pa";
    case 5:
      return "K";
    case 8:
      return "m";
    case 9:
    case 13:
      return "N";
    case 11:
      return "m/s";
    case 12:
      return "m/s^2";
    case 16:
      return "kg";
    case 17:
      return "s";
    case 18:
      return "Hz";
    default:
      return "1";
  }
}

Unit unit_of(const std::string& label, int kind, bool& assumed) {
  if (!label.empty() && lower_case(label) != "none") {
    const auto unit = Unit::try_parse(label);
    return unit ? *unit : Unit::opaque(label);
  }
  const Unit unit = Unit::parse(unit_of_kind(kind));
  if (unit.text() != "1") assumed = true;
  return unit;
}

bool same_part(const UniversalFunction& a, const UniversalFunction& b) {
  const auto near = [](double x, double y) {
    return std::abs(x - y) <= 1e-6 * std::max(std::abs(x), std::abs(y));
  };
  return a.type == b.type && a.even == b.even && a.complex == b.complex && a.binary == b.binary &&
         a.abscissa_kind == b.abscissa_kind && (!a.even || near(a.increment, b.increment)) &&
         std::abs(a.minimum - b.minimum) <= 1e-3 * std::abs(a.increment) + 1e-12 &&
         (a.even || a.values == b.values);
}

/// Numbers in fixed columns that follow one another over line ends.
class FixedNumbers {
 public:
  FixedNumbers(const InputFile& file, const UniversalFunction& f)
      : lines_(file, f.data), file_(&file), f_(&f) {}
  /// The next field of `width` characters.
  double get(std::size_t width) {
    while (at_ >= line_.size() || trimmed(std::string_view(line_).substr(at_)).empty()) {
      if (!lines_.get(line_) || trimmed(line_) == "-1")
        throw Error(Status::input, file_->name() + ": cut short: data set 58 at byte " +
                                       std::to_string(f_->data) + " promises " + std::to_string(f_->values) +
                                       " values and ends before; export it again");
      at_ = 0;
    }
    std::string_view field = trimmed(std::string_view(line_).substr(at_, width));
    at_ += width;
    if (!field.empty() && field.front() == '+') field.remove_prefix(1);
    char fixed[32];
    const std::size_t n = std::min(field.size(), sizeof fixed);
    for (std::size_t i = 0; i < n; ++i) fixed[i] = field[i] == 'D' || field[i] == 'd' ? 'E' : field[i];
    double value = 0;
    const auto [end, code] = fast_float::from_chars(fixed, fixed + n, value);
    if ((code != std::errc() && code != std::errc::result_out_of_range) || end != fixed + n)
      throw Error(Status::input, file_->name() + ": \"" + clean_text(field, 40) + "\" near byte " +
                                     std::to_string(lines_.offset()) + " is not a number; export it again");
    return value;
  }

 private:
  LineReader lines_;
  std::string line_;
  std::size_t at_ = 0;
  const InputFile* file_;
  const UniversalFunction* f_;
};

class TextFunctions : public RowSource {
 public:
  TextFunctions(InputFile file, Recording recording, std::vector<UniversalFunction> functions,
                const ReadSettings& settings, double interval, double factor)
      : RowSource(std::move(recording), !functions.front().even, settings, interval, "file header"),
        file_(std::move(file)),
        functions_(std::move(functions)),
        factor_(factor) {}

 private:
  void start() override {
    numbers_.clear();
    for (const UniversalFunction& f : functions_) numbers_.emplace_back(file_, f);
  }
  bool next(double* columns, double& stamp) override {
    for (std::size_t c = 0; c < numbers_.size(); ++c) {
      const UniversalFunction& f = functions_[c];
      const std::size_t width = f.wide ? 20 : 13;
      const double x = f.even ? 0 : numbers_[c].get(13);
      if (c == 0) stamp = x * factor_;
      columns[c] = finite(numbers_[c].get(width));
      if (f.complex) columns[numbers_.size() + c] = finite(numbers_[c].get(width));
    }
    return true;
  }
  double stamp_resolution() const override {
    // Six digits are written.
    const UniversalFunction& f = functions_.front();
    return 1e-5 * factor_ * std::max(std::abs(f.minimum), std::abs(f.increment));
  }
  static double finite(double x) { return std::isfinite(x) ? x : std::nan(""); }

  InputFile file_;
  std::vector<UniversalFunction> functions_;
  double factor_;
  std::vector<FixedNumbers> numbers_;
};

FieldLayout binary_layout(const InputFile& file, const std::vector<UniversalFunction>& functions) {
  FieldLayout layout;
  std::vector<Field> imaginary;
  for (const UniversalFunction& f : functions) {
    const std::size_t size = f.wide ? 8 : 4;
    const std::uint64_t stride = f.binary_stride(), stamp = stride - size * (f.complex ? 2u : 1u);
    if (f.held < f.values)
      throw Error(Status::input, file.name() + ": damaged universal file: " + std::to_string(f.values) +
                                     " values do not fit the " + std::to_string(f.data_bytes) +
                                     " bytes at byte " + std::to_string(f.data) + "; export it again");
    const NumberType* type = find_number_type('f', size, f.big);
    if (stamp > 0 && !layout.stamps)
      layout.stamps = Field{find_number_type('f', static_cast<std::size_t>(stamp), f.big), f.data, stride};
    layout.columns.push_back({type, f.data + stamp, stride});
    if (f.complex) imaginary.push_back({type, f.data + stamp + size, stride});
  }
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  return layout;
}

/// The header's increment has six digits. A text line of ours keeps all of them; else a whole number of hertz
/// that the six digits allow is what was meant.
double exact_interval(const UniversalFunction& f, double factor, Recording& recording) {
  const double printed = f.increment * factor;
  if (!f.even || !(printed > 0)) return printed;
  const double slack = 0.6 * std::pow(10.0, std::floor(std::log10(f.increment)) - 5) * factor;
  for (const std::string& text : f.texts) {
    double value = 0;
    if (!starts_with(text, universal_interval_key)) continue;
    const std::string_view number = trimmed(std::string_view(text).substr(8));
    const auto [end, code] = fast_float::from_chars(number.data(), number.data() + number.size(), value);
    if (code == std::errc() && std::abs(value * factor - printed) <= slack) return value * factor;
  }
  if (recording.axis.domain != Axis::Domain::time) return printed;
  const double whole = std::round(1 / printed);
  if (whole >= 1 && whole != 1 / printed && std::abs(1 / whole - printed) <= slack) {
    recording.cautions.push_back({"rate-rounded", Severity::note, "",
                                  "the header's interval of " + format_number(printed, 6) +
                                      " s has six digits: the rate " + format_quantity(whole, "Hz", 9) +
                                      " is taken, not " + format_quantity(1 / printed, "Hz", 9),
                                  "give --rate if it is another"});
    return 1 / whole;
  }
  return printed;
}

std::string point_name(const std::string& entity, long long node, int direction) {
  std::string out = entity.empty() || lower_case(entity) == "none" ? "" : entity + ":";
  return out + std::to_string(node) + direction_name(direction);
}

Channel channel_of(const UniversalFunction& f, bool& assumed) {
  Channel channel;
  channel.point = point_name("", f.response_node, f.response_direction);
  const bool plain = f.type <= 1;
  const bool pointed = f.response_node != 0 || f.response_direction != 0;
  channel.name = !f.texts[0].empty() && lower_case(f.texts[0]) != "none" ? f.texts[0]
                 : pointed ? point_name(f.response_entity, f.response_node, f.response_direction)
                           : f.ordinate_label;
  if (!plain && pointed && (f.reference_node != 0 || f.reference_direction != 0))
    channel.name = point_name(f.response_entity, f.response_node, f.response_direction) + " / " +
                   point_name(f.reference_entity, f.reference_node, f.reference_direction);
  channel.unit = unit_of(f.ordinate_unit, f.ordinate_kind, assumed);
  if (!plain && f.denominator_kind != 0 && channel.unit.known()) {
    const Unit below = unit_of(f.denominator_unit, f.denominator_kind, assumed);
    if (below.known() && !below.dimensionless()) channel.unit = channel.unit.over(below);
  }
  if (f.type == 6) channel.unit = Unit();
  channel.quantity = quantity_of(channel.unit);
  return channel;
}

/// What a file holds beyond what is taken.
void warn_of_counts(const std::vector<UniversalFunction>& functions, const UniversalFile& index,
                    Recording& recording) {
  for (std::size_t c = 0; c < functions.size(); ++c)
    if (functions[c].held > functions[c].values)
      recording.cautions.push_back({"length-disagrees", Severity::warning, recording.channels[c].name,
                                    "the header promises " + std::to_string(functions[c].values) +
                                        " values, " + std::to_string(functions[c].held) +
                                        " are there; those behind the promised ones are left out",
                                    "export the file again"});
  if (index.skipped.empty()) return;
  std::map<int, int> counted;
  for (const int number : index.skipped) ++counted[number];
  std::string list;
  for (const auto& [number, count] : counted)
    list += (list.empty() ? "" : ", ") + std::to_string(number) +
            (count > 1 ? " (" + std::to_string(count) + " times)" : "");
  recording.cautions.push_back({"left-out", Severity::note, "",
                                "data sets that hold no functions or nodes are not read: " + list, ""});
}

}  // namespace

bool recognises_universal(const FileHead& head) {
  const std::string_view text = std::string_view(head.bytes).substr(0, 400);
  const std::size_t first = text.find_first_not_of(" \r\n");
  if (first == std::string_view::npos || text.substr(first, 2) != "-1") return false;
  const std::size_t line = text.find('\n', first);
  if (line == std::string_view::npos || trimmed(text.substr(first, line - first)) != "-1") return false;
  const std::string_view second = text.substr(line + 1, text.find('\n', line + 1) - line - 1);
  const std::string_view number = trimmed(second.substr(0, 6));
  return !number.empty() && number.size() <= 4 &&
         number.find_first_not_of("0123456789") == std::string_view::npos && second.front() == ' ';
}

std::unique_ptr<SampleSource> open_universal(const FileHead& head, const ReadSettings& settings) {
  InputFile file(head.path);
  const UniversalFile index = index_universal(file);
  if (index.functions.empty())
    throw Error(Status::input, head.path + ": a universal file without functions (data set 58)");
  std::vector<std::vector<UniversalFunction>> parts;
  for (const UniversalFunction& f : index.functions) {
    // Uneven functions may only share a part if they share their stamps, which is not known here.
    const auto known = std::find_if(parts.begin(), parts.end(), [&](const auto& part) {
      return same_part(part.front(), f) && part.size() < 4096;
    });
    if (known != parts.end())
      known->push_back(f);
    else
      parts.push_back({f});
  }
  Recording recording;
  recording.file = head.path;
  std::size_t standard = 0;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const UniversalFunction& f = parts[i].front();
    recording.parts.push_back({function_name(f.type) + (" " + std::to_string(i + 1)),
                               std::to_string(parts[i].size()) +
                                   (parts[i].size() == 1 ? " channel, " : " channels, ") +
                                   std::to_string(f.values) + " values" + (f.complex ? ", complex" : "")});
    if (f.type == 1 && parts[standard].front().type != 1) standard = i;
  }
  recording.part = choose_part(head.path, recording.parts, settings, standard);
  std::vector<UniversalFunction> functions = parts[recording.part];
  const UniversalFunction& f = functions.front();
  recording.format = std::string("universal file, data set 58") + (f.binary ? "b" : "") + ", " +
                     function_name(f.type) + (f.complex ? ", complex" : "");
  if (parts.size() == 1) recording.parts.clear(), recording.part = 0;
  recording.nodes = index.nodes;
  recording.complex = f.complex;
  std::uint64_t least = f.values, greatest = f.values;
  bool assumed = false;
  for (const UniversalFunction& each : functions) {
    least = std::min(least, each.values);
    greatest = std::max(greatest, each.values);
    recording.channels.push_back(channel_of(each, assumed));
  }
  make_names_distinct(recording.channels);
  if (least > (std::uint64_t{1} << 56) || least > file.size())
    throw Error(Status::input, head.path + ": damaged universal file: " + std::to_string(least) +
                                   " values promised in " + std::to_string(file.size()) + " bytes");
  recording.samples = static_cast<std::int64_t>(least);
  if (least != greatest)
    recording.cautions.push_back({"unequal-lengths", Severity::warning, "",
                                  "channels have " + std::to_string(least) + " to " +
                                      std::to_string(greatest) + " values; the first " +
                                      std::to_string(least) + " of each are taken",
                                  "choose the long ones with --channel after exporting them on their own"});
  warn_of_counts(functions, index, recording);
  if (assumed)
    recording.cautions.push_back({"unit-assumed", Severity::note, "",
                                  "the file names the quantity but no unit; SI is taken",
                                  "name it with --calibrate 'CHANNEL: unit UNIT'"});
  for (std::size_t i = 0; i < 5; ++i)
    if (!f.texts[i].empty() && lower_case(f.texts[i]) != "none" &&
        !starts_with(f.texts[i], universal_interval_key))
      recording.notes.emplace_back("text " + std::to_string(i + 1), f.texts[i]);
  if (!index.nodes.empty()) recording.notes.emplace_back("nodes", std::to_string(index.nodes.size()));
  Axis& axis = recording.axis;
  bool ignored = false;
  const Unit unit =
      unit_of(f.abscissa_unit, f.abscissa_kind == 0 && f.type == 1 ? 17 : f.abscissa_kind, ignored);
  axis.name = f.abscissa_label.empty() ? "abscissa" : f.abscissa_label;
  axis.unit = unit;
  double factor = 1;
  if (unit.converts_to(Unit::parse("s")) && !unit.dimensionless()) {
    factor = unit.convert(1, Unit::parse("s"));
    axis.unit = Unit::parse("s");
  } else if (unit.converts_to(Unit::parse("Hz")) && !unit.dimensionless()) {
    axis.domain = Axis::Domain::frequency;
    factor = unit.convert(1, Unit::parse("Hz"));
    axis.unit = Unit::parse("Hz");
  } else {
    axis.domain = Axis::Domain::other;
  }
  if (f.even && !(f.increment > 0 && std::isfinite(f.increment)))
    throw Error(Status::input, head.path + ": damaged universal file: an abscissa increment of " +
                                   format_number(f.increment) + "; export it again");
  const double interval = exact_interval(f, factor, recording);
  axis.start = f.minimum * factor;
  axis.source = f.even ? "file header" : "abscissa values";
  if (!f.binary)
    return std::make_unique<TextFunctions>(std::move(file), std::move(recording), std::move(functions),
                                           settings, interval, factor);
  FieldLayout layout = binary_layout(file, functions);
  if (layout.stamps) {
    layout.stamps->factor = factor;
    layout.stamp_resolution = 1e-6 * std::abs(f.minimum + f.increment) * factor;
  }
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout), settings,
                                       f.even ? interval : 0, "file header");
}

}  // namespace vprism
