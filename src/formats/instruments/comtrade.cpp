// comtrade.cpp: IEEE C37.111 (COMTRADE) of 1991, 1999 and 2013: NAME.cfg with NAME.dat, or one NAME.cff.
//
// The .cfg, line by line, values parted by commas:
//     station, device, year of the standard (missing: 1991)
//     TT, ##A, ##D                          channels in all, analogue, digital ("status")
//     n, name, phase, component, unit, a, b, skew, min, max, primary, secondary, P|S     per analogue channel
//     n, name, phase, component, normal state                                            per status channel
//     line frequency
//     number of rates, then "rate, last sample" for each (0: one line "0, last sample", time is in the data)
//     dd/mm/yyyy,hh:mm:ss.ssssss of the first sample, then of the trigger (1991: mm/dd/yy)
//     ASCII | BINARY | BINARY32 | FLOAT32
//     factor of the time stamps             and two lines on time codes (2013)
// A frame of the .dat: sample number, time in microseconds (nanoseconds where the dates carry nine digits)
// times the factor, analogue values x with a x + b in the unit named, status bits. ASCII: numbers and commas;
// binary: two 32-bit integers, then 16-bit (BINARY) or 32-bit integers or floats, then 16 status bits a word,
// all little endian. Missing: an empty cell, or the most negative integer. The .cff is all files in one,
// each behind a line "--- file type: CFG ---", binary data with their length there.
#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "formats/field_source.h"
#include "formats/frame_order.h"
#include "formats/instruments/comtrade_configuration.h"
#include "formats/text/rows/row_source.h"
#include "signal/skew.h"

namespace vprism {

namespace {

/// A sample of an ASCII data file.
class TextFrames : public RowSource {
 public:
  TextFrames(InputFile file, std::uint64_t begin, Recording recording, ComtradeConfiguration c, bool stamped,
             const ReadSettings& settings)
      : RowSource(std::move(recording), stamped, settings, c.rate > 0 ? 1 / c.rate : 0, "configuration"),
        file_(std::move(file)),
        c_(std::move(c)),
        begin_(begin),
        lines_(file_, begin),
        order_(c_.rate > 0 ? 1 / c_.rate : 0, c_.stamp_factor) {}

 private:
  void start() override {
    lines_ = LineReader(file_, begin_);
    order_ = FrameOrder(c_.rate > 0 ? 1 / c_.rate : 0, c_.stamp_factor);
  }
  void ended() override {
    order_.report_to(recording_);
    std::int64_t beyond = 0;
    while (lines_.get(line_))
      if (const auto text = trimmed(line_); !text.empty() && text != "\x1a") ++beyond;
    if (beyond > 0)
      recording_.cautions.push_back({"length-disagrees", Severity::warning, "",
                                     "the configuration promises " + std::to_string(recording_.samples) +
                                         " samples, " + std::to_string(recording_.samples + beyond) +
                                         " rows are there; the promised ones are read",
                                     "export it again if the rest is wanted"});
  }
  double stamp_resolution() const override { return c_.stamp_factor; }
  bool next(double* columns, double& stamp) override {
    do {
      if (!lines_.get(line_)) return false;
    } while (trimmed(line_).empty());
    std::string_view rest = line_;
    const std::size_t analogue = c_.analogue.size();
    double number = std::nan("");
    stamp = std::nan("");
    for (std::size_t cell = 0; cell < 2 + analogue + c_.status; ++cell) {
      const std::size_t comma = rest.find(',');
      const std::string_view text = trimmed(rest.substr(0, comma));
      if (cell > 0 && rest.data() == nullptr) fail(cell, "is missing");
      rest = comma == std::string_view::npos ? std::string_view() : rest.substr(comma + 1);
      double value = std::nan("");
      const char* from = text.data() + (!text.empty() && text.front() == '+' ? 1 : 0);
      if (!text.empty()) {
        const auto [end, code] = fast_float::from_chars(from, text.data() + text.size(), value);
        if (code != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
          fail(cell, "\"" + clean_text(text, 40) + "\" is not a number");
      }
      if (cell == 0) number = value;
      if (cell == 1) stamp = value * c_.stamp_factor;
      if (cell < 2) continue;
      const std::size_t c = cell - 2;
      columns[c] = c < analogue ? value * c_.analogue[c].a + c_.analogue[c].b : value;
    }
    order_.add(number, stamp);
    return true;
  }
  [[noreturn]] void fail(std::size_t cell, const std::string& what) const {
    throw Error(Status::input, file_.name() + ": near byte " + std::to_string(lines_.offset()) + ", value " +
                                   std::to_string(cell + 1) + " of the sample: " + what +
                                   "; export it again");
  }

  InputFile file_;
  ComtradeConfiguration c_;
  std::uint64_t begin_;
  LineReader lines_;
  std::string line_;
  FrameOrder order_;
};

/// Numbers and stamps of binary frames; of a long file of those in its first 64 MB.
void check_frames(const InputFile& file, std::uint64_t begin, std::uint64_t frame, std::uint64_t samples,
                  const ComtradeConfiguration& c, Recording& recording) {
  FrameOrder order(c.rate > 0 ? 1 / c.rate : 0, c.stamp_factor);
  const NumberType& type = *find_number_type("u32le");
  const std::uint64_t looked = std::min(samples, (std::uint64_t{64} << 20) / frame), at_once = 4096;
  std::vector<char> bytes;
  std::vector<double> number(at_once), stamp(at_once);
  for (std::uint64_t at = 0; at < looked; at += at_once) {
    const auto count = static_cast<std::size_t>(std::min(at_once, looked - at));
    bytes.resize(count * static_cast<std::size_t>(frame));
    file.read(begin + at * frame, bytes);
    type.decode(bytes.data(), static_cast<std::size_t>(frame), count, number.data());
    type.decode(bytes.data() + 4, static_cast<std::size_t>(frame), count, stamp.data());
    for (std::size_t n = 0; n < count; ++n)
      order.add(number[n], stamp[n] == 4294967295.0 ? std::nan("") : stamp[n] * c.stamp_factor);
  }
  order.report_to(recording);
}

struct Pieces {
  std::string configuration_name, configuration, data_name;
  std::uint64_t data = 0, data_bytes = 0;
};

/// NAME.cff: sections behind "--- file type: ... ---".
Pieces cut_combined(const std::string& path) {
  const InputFile file(path);
  Pieces out{path, "", path, 0, 0};
  LineReader lines(file);
  std::string line, section;
  while (lines.get(line)) {
    const std::string low = lower_case(line);
    if (starts_with(low, "--- file type:")) {
      section = std::string(trimmed(std::string_view(low).substr(14)));
      if (starts_with(section, "dat")) {
        out.data = lines.offset();
        out.data_bytes = file.size() - out.data;
        const std::size_t colon = section.find(':');
        std::uint64_t bytes = 0;
        if (colon != std::string::npos && std::sscanf(section.c_str() + colon + 1, "%lu", &bytes) == 1)
          out.data_bytes = std::min(bytes, out.data_bytes);
        break;
      }
      continue;
    }
    if (starts_with(section, "cfg")) out.configuration += line + "\n";
    if (out.configuration.size() > (4u << 20)) break;
  }
  if (out.configuration.empty() || out.data == 0)
    throw Error(Status::input, path + ": a combined file without configuration or data; export it again");
  return out;
}

/// The other file of the pair, its ending in the same case.
std::string companion(const std::string& path, const char* lower, const char* upper) {
  namespace fs = std::filesystem;
  for (const char* ending : {lower, upper}) {
    const fs::path other = fs::path(path).replace_extension(ending);
    if (fs::exists(other)) return other.string();
  }
  return "";
}

bool looks_like_configuration(std::string_view text) {
  const std::size_t first = text.find('\n');
  if (first == std::string_view::npos) return false;
  const std::string_view second = text.substr(first + 1, text.find('\n', first + 1) - first - 1);
  int total = 0, analogue = 0, status = 0;
  char a = 0, d = 0;
  const std::string line(second.substr(0, 100));
  return std::sscanf(line.c_str(), " %d , %d%c , %d%c", &total, &analogue, &a, &status, &d) == 5 &&
         std::toupper(a) == 'A' && std::toupper(d) == 'D';
}

}  // namespace

bool recognises_comtrade(const FileHead& head) {
  if (starts_with(lower_case(head.bytes.substr(0, 14)), "--- file type:")) return true;
  if (looks_like_configuration(head.bytes)) return true;
  // A data file says nothing of itself; its configuration beside it does.
  const std::string ending = lower_case(std::filesystem::path(head.path).extension().string());
  if (ending != ".dat") return false;
  const std::string other = companion(head.path, ".cfg", ".CFG");
  return !other.empty() && looks_like_configuration(InputFile(other).text(0, 4096));
}

std::unique_ptr<SampleSource> open_comtrade(const FileHead& head, const ReadSettings& settings) {
  Pieces pieces;
  if (starts_with(head.bytes, "--- ")) {
    pieces = cut_combined(head.path);
  } else {
    const bool data_named = !looks_like_configuration(head.bytes);
    pieces.configuration_name = data_named ? companion(head.path, ".cfg", ".CFG") : head.path;
    pieces.data_name = data_named ? head.path : companion(head.path, ".dat", ".DAT");
    if (pieces.data_name.empty())
      throw Error(Status::input, head.path + ": its data file (ending .dat) is not beside it; copy both");
    pieces.configuration = InputFile(pieces.configuration_name).text(0, 4u << 20);
  }
  InputFile file(pieces.data_name);
  if (pieces.data == 0) pieces.data_bytes = file.size();
  Recording recording;
  recording.file = head.path;
  ComtradeConfiguration c = parse_comtrade_configuration(pieces.configuration_name, pieces.configuration,
                                                         recording, settings.primary);
  make_names_distinct(recording.channels);
  recording.format = "COMTRADE (IEEE C37.111), " + c.type;
  if (c.dated) {
    recording.zero_ns = c.start_ns;
    if (c.trigger_ns != 0)
      recording.notes.emplace_back(
          "trigger", format_quantity(seconds_between(c.start_ns, c.trigger_ns), "s", 9) + " after the start");
  }
  const bool stamped = c.rate == 0 || c.several_rates;
  if (stamped) c.rate = 0;
  recording.axis.source = stamped ? "time stamps" : "configuration";
  if (c.several_rates) recording.notes.emplace_back("rates", "several; the time stamps are used");
  std::vector<double> skews;
  for (const ComtradeAnalogue& values : c.analogue) skews.push_back(values.skew_s);
  if (c.type == "ascii") {
    if (c.samples == 0 || c.samples > pieces.data_bytes)
      throw Error(Status::input, head.path + ": damaged configuration: " + std::to_string(c.samples) +
                                     " samples promised in " + std::to_string(pieces.data_bytes) + " bytes");
    recording.samples = static_cast<std::int64_t>(c.samples);
    return make_deskewed(std::make_unique<TextFrames>(std::move(file), pieces.data, std::move(recording), c,
                                                      stamped, settings),
                         skews);
  }
  const bool wide = c.type != "binary";
  const std::size_t size = wide ? 4 : 2;
  const std::uint64_t frame = 8 + c.analogue.size() * size + (c.status + 15) / 16 * 2;
  const std::uint64_t there = pieces.data_bytes / frame;
  if (c.samples == 0 || there < c.samples)
    throw Error(Status::input, pieces.data_name + ": cut short: the configuration promises " +
                                   std::to_string(c.samples) + " samples, " + std::to_string(there) +
                                   " are there");
  if (there > c.samples)
    recording.cautions.push_back({"length-disagrees", Severity::warning, "",
                                  "the configuration promises " + std::to_string(c.samples) + " samples, " +
                                      std::to_string(there) + " are there; the promised ones are read",
                                  "export it again if the rest is wanted"});
  recording.samples = static_cast<std::int64_t>(c.samples);
  check_frames(file, pieces.data, frame, c.samples, c, recording);
  FieldLayout layout;
  std::uint64_t offset = pieces.data + 8;
  for (const ComtradeAnalogue& values : c.analogue) {
    Field field{find_number_type(c.type == "float32" ? 'f' : 'i', size, false), offset, frame, values.a,
                values.b};
    if (field.type->greatest > 0) field.missing = field.type->least;
    layout.columns.push_back(field);
    offset += size;
  }
  for (std::size_t i = 0; i < c.status; ++i) {
    Field field{find_number_type("u16le"), offset + i / 16 * 2, frame};
    field.bit = static_cast<unsigned>(i % 16);
    layout.columns.push_back(field);
  }
  if (stamped) {
    layout.stamps = Field{find_number_type("u32le"), pieces.data + 4, frame, c.stamp_factor};
    layout.stamp_resolution = c.stamp_factor;
  }
  return make_deskewed(std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout),
                                                     settings, c.rate > 0 ? 1 / c.rate : 0, "configuration"),
                       skews);
}

}  // namespace vprism
