// physiological_record.cpp: NAME.hea with NAME.dat; see described_binary.h.
#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "formats/described/described_binary.h"
#include "formats/text/clock/clock.h"
#include "formats/text/rows/row_source.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

struct Signal {
  std::string file, name, unit = "mV";
  int format = 0, per_frame = 1;
  std::uint64_t offset = 0;
  double gain = 0, baseline = 0, zero = 0;
  std::optional<double> first;
};

struct RecordHeader {
  std::size_t signals = 0;
  double rate_hz = 250;
  std::int64_t samples = -1;
  std::optional<std::int64_t> began_ns;
  std::vector<Signal> of;
  std::vector<std::string> remarks;
};

std::vector<std::string_view> words_of(std::string_view line) {
  std::vector<std::string_view> out;
  split_cells(line, ' ', out);
  return out;
}

/// The number that a text begins with; how long it is.
std::size_t leading_number(std::string_view text, double& value) {
  const std::size_t end = std::min(text.find_first_not_of("+-.0123456789eE"), text.size());
  return parse_cell(text.substr(0, end), '.', value) ? end : 0;
}

/// "16x2:3+24".
void read_format(std::string_view text, Signal& out) {
  double value = 0;
  std::size_t at = leading_number(text.substr(0, text.find_first_of("x:+")), value);
  out.format = static_cast<int>(value);
  while (at < text.size()) {
    const char mark = text[at++];
    const std::size_t end = std::min(text.find_first_of("x:+", at), text.size());
    if (leading_number(text.substr(at, end - at), value) == 0) value = 0;
    if (mark == 'x') out.per_frame = static_cast<int>(value);
    if (mark == '+' && value >= 0) out.offset = static_cast<std::uint64_t>(value);
    at = end;
  }
}

/// "200(0)/mV".
bool read_gain(std::string_view text, Signal& out) {
  const std::size_t end = leading_number(text, out.gain);
  if (end == 0) return false;
  text.remove_prefix(end);
  bool based = false;
  if (!text.empty() && text.front() == '(') {
    const std::size_t close = text.find(')');
    based = close != std::string_view::npos && leading_number(text.substr(1, close - 1), out.baseline) > 0;
    text.remove_prefix(std::min(close, text.size() - 1) + 1);
  }
  if (!text.empty() && text.front() == '/') out.unit = std::string(text.substr(1));
  return based;
}

std::optional<Signal> signal_of(std::string_view line) {
  const std::vector<std::string_view> words = words_of(line);
  if (words.size() < 2) return {};
  Signal out;
  out.file = std::string(words[0]);
  read_format(words[1], out);
  bool based = false;
  double value = 0;
  std::size_t w = 2;
  if (w < words.size()) based = read_gain(words[w++], out);
  if (w < words.size() && leading_number(words[w], value) > 0) ++w;  // Bits of the converter.
  if (w < words.size() && leading_number(words[w], out.zero) > 0) ++w;
  if (w < words.size() && leading_number(words[w], value) > 0) out.first = value, ++w;
  for (int passed = 0; passed < 2 && w < words.size() && leading_number(words[w], value) > 0; ++passed) ++w;
  if (w < words.size())
    out.name = clean_text(trimmed(line.substr(static_cast<std::size_t>(words[w].data() - line.data()))));
  if (!based) out.baseline = out.zero;
  return out;
}

std::optional<RecordHeader> header_of(std::string_view text) {
  RecordHeader out;
  bool begun = false;
  while (!text.empty()) {
    const std::size_t end = text.find('\n');
    const std::string_view line = trimmed(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (line.empty()) continue;
    if (line.front() == '#') {
      if (out.remarks.size() < 100) out.remarks.push_back(clean_text(trimmed(line.substr(1)), 200));
      continue;
    }
    if (!begun) {
      const std::vector<std::string_view> words = words_of(line);
      double value = 0;
      if (words.size() < 2 || leading_number(words[1], value) != words[1].size() || value < 0 ||
          value > 4096 || value != std::floor(value))
        return {};
      out.signals = static_cast<std::size_t>(value);
      if (words.size() > 2 && (leading_number(words[2], out.rate_hz) == 0 || !(out.rate_hz > 0))) return {};
      if (words.size() > 3 && leading_number(words[3], value) == words[3].size() && value > 0)
        out.samples = static_cast<std::int64_t>(value);
      const auto time = words.size() > 4 ? parse_time_of_day(words[4]) : std::nullopt;
      // The day comes first, always.
      const auto day = words.size() > 5 ? parse_date(words[5], DayOrder::day_first) : std::nullopt;
      if (time && day) out.began_ns = *day + *time;
      // "NAME/3": of several segments.
      if (words[0].find('/') != std::string_view::npos) out.signals = 0;
      begun = true;
      continue;
    }
    if (out.of.size() == out.signals) continue;
    const auto signal = signal_of(line);
    if (!signal) return {};
    out.of.push_back(*signal);
  }
  return begun && (out.signals == 0 || out.of.size() == out.signals) ? std::optional(out) : std::nullopt;
}

/// Two samples of twelve bits in three bytes.
class TwelveBits : public RowSource {
 public:
  TwelveBits(InputFile file, std::uint64_t offset, Recording recording, std::vector<Field> scales,
             const ReadSettings& settings, double interval)
      : RowSource(std::move(recording), false, settings, interval, "header"),
        file_(std::move(file)),
        scales_(std::move(scales)),
        offset_(offset) {}

 private:
  void start() override { at_ = 0; }
  bool next(double* columns, double&) override {
    for (std::size_t c = 0; c < scales_.size(); ++c, ++at_) {
      const int value = sample(at_);
      columns[c] = value == -2048 ? std::nan("") : value * scales_[c].factor + scales_[c].add;
    }
    return true;
  }
  int sample(std::uint64_t k) {
    const std::uint64_t pair = k / 2, byte = 3 * pair;
    if (byte < begun_ || byte + 3 > begun_ + got_) {
      begun_ = byte;
      buffer_.resize(3 << 16);
      got_ = file_.read_some(offset_ + byte, std::span(buffer_.data(), buffer_.size()));
      if (got_ + 1 < 3) return -2048;
    }
    const auto* const b = reinterpret_cast<const unsigned char*>(buffer_.data()) + (byte - begun_);
    const int value = k % 2 == 0 ? b[0] | ((b[1] & 0x0F) << 8) : b[2] | ((b[1] & 0xF0) << 4);
    return value > 2047 ? value - 4096 : value;
  }

  InputFile file_;
  std::vector<Field> scales_;
  std::uint64_t offset_ = 0, at_ = 0, begun_ = 1, got_ = 0;
  std::vector<char> buffer_;
};

struct StoredAs {
  int format;
  const char* type;
  double zero;  ///< Taken off.
  std::optional<double> missing;
};
const StoredAs* stored_as(int format) {
  static const std::array<StoredAs, 5> all = {{{16, "i16le", 0, -32768.0},
                                               {61, "i16be", 0, -32768.0},
                                               {32, "i32le", 0, -2147483648.0},
                                               {80, "u8", 128, {}},
                                               {160, "u16le", 32768, 0.0}}};
  for (const StoredAs& s : all)
    if (s.format == format && find_number_type(s.type) != nullptr) return &s;
  return nullptr;
}

}  // namespace

bool recognises_physiological_record(const FileHead& head) {
  return header_of(header_text_seen(head, header_beside(head, ".hea", {".dat"}))).has_value();
}

std::unique_ptr<SampleSource> open_physiological_record(const FileHead& head, const ReadSettings& settings) {
  const std::string name = header_beside(head, ".hea", {".dat"});
  const auto header = header_of(header_text(name));
  const auto fail = [&](const std::string& what) -> Error {
    return Error(Status::input, name + ": " + what);
  };
  if (!header) throw fail("its first lines say no signals; export it again");
  if (header->of.empty()) throw fail("a record of several segments: read each segment's own header");
  const Signal& lead = header->of.front();
  DescribedBinary d;
  d.recording.file = head.path;
  d.recording.format = "physiological record, format " + std::to_string(lead.format);
  d.recording.zero_ns = header->began_ns;
  for (const std::string& remark : header->remarks) d.recording.notes.emplace_back(remark, "");
  for (const Signal& s : header->of) {
    if (s.file != lead.file || s.format != lead.format)
      throw fail("signals in several files or formats (" + clean_text(lead.file, 40) + ", " +
                 clean_text(s.file, 40) + "): write them to one");
    if (s.per_frame != 1)
      throw fail("\"" + s.name + "\" has a rate of its own: write it as a record by itself");
  }
  const StoredAs* const stored = stored_as(lead.format);
  if (stored == nullptr && lead.format != 212)
    throw fail("samples are stored in format " + std::to_string(lead.format) +
               "; 16, 32, 61, 80, 160 and 212 are read: convert it");
  d.data = data_beside(name, lead.file);
  d.interval_s = 1 / header->rate_hz;
  d.promised = header->samples;
  bool counts = false;
  const NumberType* const type = stored != nullptr ? find_number_type(stored->type) : nullptr;
  const std::uint64_t size = type != nullptr ? type->size : 0;
  d.frame = size * header->of.size();
  for (std::size_t c = 0; c < header->of.size(); ++c) {
    const Signal& s = header->of[c];
    Channel channel;
    channel.name = s.name;
    const bool calibrated = s.gain != 0;
    counts = counts || !calibrated;
    if (calibrated) channel.unit = Unit::try_parse(s.unit).value_or(Unit::opaque(clean_text(s.unit, 24)));
    channel.quantity = quantity_of(channel.unit);
    d.recording.channels.push_back(std::move(channel));
    Field field;
    field.type = type, field.offset = lead.offset + c * size, field.stride = d.frame;
    const double zero = (stored != nullptr ? stored->zero : 0) + (calibrated ? s.baseline : 0);
    field.factor = calibrated ? 1 / s.gain : 1;
    field.add = -zero * field.factor;
    if (stored != nullptr) field.missing = stored->missing;
    d.layout.columns.push_back(field);
  }
  if (counts)
    d.recording.cautions.push_back({"scale-unknown", Severity::warning, "",
                                    "the header gives no gain for a signal: its numbers are counts",
                                    "give what a count is worth with --calibrate"});
  if (lead.format != 212) return open_described(std::move(d), settings);
  InputFile data(d.data);
  const std::uint64_t bytes = data.size() > lead.offset ? data.size() - lead.offset : 0,
                      all = bytes / 3 * 2 + (bytes % 3 == 2 ? 1 : 0);
  const auto there = static_cast<std::int64_t>(all / header->of.size());
  d.recording.samples = d.promised < 0 ? there : std::min(there, d.promised);
  if (d.recording.samples == 0) throw Error(Status::input, d.data + ": holds not one sample; copy it again");
  if (d.promised >= 0 && there < d.promised)
    d.recording.cautions.push_back({"length-disagrees", Severity::serious, "",
                                    "the header promises " + std::to_string(d.promised) +
                                        " samples, the data hold " + std::to_string(there),
                                    "the data file may be cut: copy it again"});
  make_names_distinct(d.recording.channels);
  return std::make_unique<TwelveBits>(std::move(data), lead.offset, std::move(d.recording),
                                      std::move(d.layout.columns), settings, d.interval_s);
}

}  // namespace vprism
