// universal_writer.cpp: one data set 58 per channel (see universal.h). All headers are laid out first, so
// that blocks can be put in their places as they come and the recording is passed only once.
#include <fmt/format.h>

#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/output_file.h"
#include "formats/instruments/universal.h"
#include "formats/writer.h"

namespace vprism {

namespace {

struct SetKind {
  int data, length, force, temperature;
};

/// "Specific data type" and unit exponents of a quantity.
SetKind kind_of(const std::string& quantity) {
  if (quantity == "displacement") return {8, 1, 0, 0};
  if (quantity == "velocity") return {11, 1, 0, 0};
  if (quantity == "acceleration") return {12, 1, 0, 0};
  if (quantity == "force") return {13, 0, 1, 0};
  if (quantity == "pressure") return {15, -2, 1, 0};
  if (quantity == "temperature") return {5, 0, 0, 1};
  return {quantity.empty() ? 0 : 1, 0, 0, 0};
}

std::string eighty(const std::string& text) {
  std::string clean;
  for (const char c : clean_text(text, 80)) clean += static_cast<unsigned char>(c) < 0x80 ? c : '?';
  return clean.empty() ? "NONE" : clean.substr(0, 80);
}

std::string axis_record(int kind, int length, int force, int temperature, const std::string& label,
                        const std::string& unit) {
  return fmt::format("{:10d}{:5d}{:5d}{:5d} {:<20.20} {:<20.20}\n", kind, length, force, temperature,
                     eighty(label), eighty(unit));
}

std::string quantity_record(const std::string& quantity, const Unit& unit) {
  const SetKind kind = kind_of(quantity);
  return axis_record(kind.data, kind.length, kind.force, kind.temperature,
                     quantity.empty() ? "Level" : quantity, unit.text() == "1" ? "NONE" : unit.text());
}

/// A number in 13 columns with at least one blank before it. "%13.5e" keeps six digits.
std::string thirteen(double x) { return fmt::format("{:13.5e}", x); }

class Universal : public RecordingWriter {
 public:
  Universal(const std::string& path, const Recording& r, bool binary)
      : file_(path), recording_(r), binary_(binary), uneven_(r.axis.stamped) {
    if (!(r.axis.interval > 0))
      throw Error(Status::analysis, r.file + ": a universal file needs an axis; give --rate or --interval");
    const auto samples = static_cast<std::uint64_t>(r.samples);
    for (std::size_t c = 0; c < r.channels.size(); ++c) {
      const std::string head = header(c, samples);
      file_.write_at(end_, head);
      places_.push_back(end_ + head.size());
      end_ += head.size() + data_bytes(samples);
      file_.write_at(end_, "    -1\n");
      end_ += 7;
    }
  }

  void add(const Block& block) override {
    const std::size_t channels = recording_.channels.size();
    std::string bytes;
    for (std::size_t c = 0; c < channels; ++c) {
      bytes.clear();
      const auto real = block.samples(c);
      for (std::size_t n = 0; n < block.size(); ++n) {
        const std::int64_t number = block.first() + static_cast<std::int64_t>(n);
        if (std::isnan(real[n]))
          throw Error(
              Status::analysis,
              recording_.file + ": missing samples can't be held by a universal file; write hdf5 or csv");
        const double imaginary = recording_.complex ? block.imaginary(c)[n] : 0;
        binary_ ? put_binary(bytes, block, n, real[n], imaginary)
                : put_text(bytes, block, n, number, real[n], imaginary);
      }
      file_.write_at(places_[c], bytes);
      places_[c] += bytes.size();
    }
  }
  void finish() override { file_.finish(); }

 private:
  std::string header(std::size_t c, std::uint64_t samples) const {
    const Channel& channel = recording_.channels[c];
    const Axis& axis = recording_.axis;
    const bool timed = axis.domain == Axis::Domain::time, swept = axis.domain == Axis::Domain::frequency;
    std::string out = "    -1\n";
    out += binary_ ? fmt::format("    58b{:6d}{:6d}{:12d}{:12d}{:6d}{:6d}{:12d}{:12d}\n", 1, 2, 11,
                                 data_bytes(samples), 0, 0, 0, 0)
                   : std::string("    58\n");
    // Six digits are too few for many intervals; a text line keeps them all.
    const std::string exact = uneven_ ? "NONE" : fmt::format("{} {}", universal_interval_key, axis.interval);
    out += eighty(channel.name) + "\nNONE\nNONE\n" + exact + "\nNONE\n";
    const auto [node, direction] = point(channel.point, c);
    const auto [reference_node, reference_direction] =
        channel.ratio ? point(channel.ratio->reference_point, recording_.channels.size()) : std::pair{0LL, 0};
    out += fmt::format("{:5d}{:10d}{:5d}{:10d} {:<10}{:10d}{:4d} {:<10}{:10d}{:4d}\n",
                       channel.ratio ? 4
                       : timed       ? 1
                       : swept       ? 12
                                     : 0,
                       c + 1, 0, 0, "NONE", node, direction, "NONE", reference_node, reference_direction);
    out +=
        fmt::format("{:10d}{:10d}{:10d}{}{}{}\n", recording_.complex ? 6 : 4, samples, uneven_ ? 0 : 1,
                    thirteen(uneven_ ? 0 : axis.start), thirteen(uneven_ ? 0 : axis.interval), thirteen(0));
    out += axis_record(timed   ? 17
                       : swept ? 18
                               : 0,
                       0, 0, 0,
                       timed   ? "Time"
                       : swept ? "Frequency"
                               : axis.name,
                       axis.unit.text());
    out += channel.ratio ? quantity_record(channel.ratio->quantity, channel.ratio->unit)
                         : quantity_record(channel.quantity, channel.unit);
    out += channel.ratio ? quantity_record(channel.ratio->reference_quantity, channel.ratio->reference_unit)
                         : axis_record(0, 0, 0, 0, "NONE", "NONE");
    return out + axis_record(0, 0, 0, 0, "NONE", "NONE");
  }

  /// "12+Z" -> 12, 3; without a point, channels are numbered.
  static std::pair<long long, int> point(const std::string& text, std::size_t c) {
    long long node = 0;
    char sign = 0, axis = 0;
    if (std::sscanf(text.c_str(), "%lld%c%c", &node, &sign, &axis) == 3 && axis >= 'X' && axis <= 'Z')
      return {node, (sign == '-' ? -1 : 1) * (axis - 'X' + 1)};
    return {static_cast<long long>(c) + 1, 0};
  }

  std::size_t value_bytes() const { return recording_.complex ? 16 : 8; }
  std::uint64_t data_bytes(std::uint64_t samples) const {
    if (binary_) return samples * (value_bytes() + (uneven_ ? 8 : 0));
    // Text: 20 columns a number, 4 a line; uneven real: 33 columns a pair, 2 a line; complex: 53, 1 a line.
    const std::uint64_t parts = recording_.complex ? 2 : 1;
    if (!uneven_) return samples * parts * 20 + (samples * parts + 3) / 4;
    return samples * (13 + 20 * parts) + (recording_.complex ? samples : (samples + 1) / 2);
  }

  void put_binary(std::string& bytes, const Block& block, std::size_t n, double real,
                  double imaginary) const {
    if (uneven_) append_bytes(bytes, block.stamps()[n]);
    append_bytes(bytes, real);
    if (recording_.complex) append_bytes(bytes, imaginary);
  }

  void put_text(std::string& bytes, const Block& block, std::size_t n, std::int64_t number, double real,
                double imaginary) const {
    const auto last = number + 1 == recording_.samples;
    if (uneven_) bytes += thirteen(block.stamps()[n]);
    bytes += fmt::format("{:20.12e}", real);
    if (recording_.complex) bytes += fmt::format("{:20.12e}", imaginary);
    const std::int64_t per_line = uneven_ ? (recording_.complex ? 1 : 2) : (recording_.complex ? 2 : 4);
    if ((number + 1) % per_line == 0 || last) bytes += '\n';
  }

  OutputFile file_;
  Recording recording_;
  bool binary_, uneven_;
  std::vector<std::uint64_t> places_;
  std::uint64_t end_ = 0;
};

}  // namespace

std::unique_ptr<RecordingWriter> write_universal(const std::vector<std::string>& paths,
                                                 const Recording& recording, const WriteSettings&) {
  return std::make_unique<Universal>(paths[0], recording, true);
}
std::unique_ptr<RecordingWriter> write_universal_text(const std::vector<std::string>& paths,
                                                      const Recording& recording, const WriteSettings&) {
  return std::make_unique<Universal>(paths[0], recording, false);
}

}  // namespace vprism
