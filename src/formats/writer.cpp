// writer.cpp: the table of formats that can be written, and the plain ones: CSV, NPY, flat binary, SigMF.
#include "formats/writer.h"

#include <fmt/format.h>

#include <bit>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/output_file.h"

namespace vprism {

static_assert(std::endian::native == std::endian::little, "writers copy numbers as they lie in memory");

const std::vector<WriteFormat>& write_format_table() {
  static const std::vector<WriteFormat> table = {
      {"hdf5", ".h5", "the recording layout: every channel with name, unit and axis; exact", "", write_hdf5},
      {"wav", ".wav", "sound file; names and units in a text chunk; even, real channels", "", write_sound},
      {"csv", ".csv", "comma-separated text with a time column; exact", "", write_csv},
      {"npy", ".npy", "array of samples by channels; no rate, names or units", "", write_npy},
      {"binary", ".bin", "flat interleaved numbers; how to read them is printed", "", write_flat},
      {"universal", ".uff", "universal file, data set 58b in double precision; exact", "", write_universal},
      {"universal-text", ".uff", "universal file, data set 58 as text; 12 digits", "", write_universal_text},
      {"sigmf", ".sigmf-meta", "SigMF metadata and data", ".sigmf-data", write_sigmf},
  };
  return table;
}

const WriteFormat& find_write_format(const std::string& name) {
  std::vector<std::string> names;
  for (const WriteFormat& format : write_format_table()) {
    if (name == format.name) return format;
    names.emplace_back(format.name);
  }
  throw Error(Status::usage, unknown_name("format", name, names));
}

std::string channel_title(const Channel& channel) {
  return channel.unit.text() == "1" ? channel.name : channel.name + " (" + channel.unit.text() + ")";
}

namespace {

void refuse_stamps(const Recording& r, const char* format) {
  if (r.axis.stamped)
    throw Error(Status::analysis, r.file + ": uneven samples can't be held by " + format +
                                      "; write hdf5, csv, npy or universal, which keep the stamps");
}

/// Samples as f64 or f32, interleaved: column after column of each instant.
class Interleaver {
 public:
  explicit Interleaver(const WriteSettings& settings, const char* format)
      : single_(settings.numbers == "f32") {
    if (settings.numbers != "f32" && settings.numbers != "f64")
      throw Error(Status::usage,
                  std::string("--numbers ") + settings.numbers + ": " + format + " takes f64 or f32");
  }
  const char* type() const { return single_ ? "f32" : "f64"; }
  std::size_t size() const { return single_ ? 4 : 8; }
  /// Columns in the order `order`; the stamps first where `stamps`.
  const std::string& bytes(const Block& block, const std::vector<std::size_t>& order, bool stamps) {
    bytes_.clear();
    for (std::size_t n = 0; n < block.size(); ++n) {
      if (stamps) append_bytes(bytes_, block.stamps()[n]);
      for (const std::size_t c : order) {
        if (single_)
          append_bytes(bytes_, static_cast<float>(block.samples(c)[n]));
        else
          append_bytes(bytes_, block.samples(c)[n]);
      }
    }
    return bytes_;
  }

 private:
  bool single_;
  std::string bytes_;
};

/// Channel by channel; complex ones as real and imaginary part side by side.
std::vector<std::size_t> column_order(const Recording& r) {
  std::vector<std::size_t> order;
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    order.push_back(c);
    if (r.complex) order.push_back(r.channels.size() + c);
  }
  return order;
}

class Csv : public RecordingWriter {
 public:
  Csv(const std::string& path, const Recording& r) : file_(path), recording_(r) {
    const Axis& axis = r.axis;
    const std::string axis_name = axis.domain == Axis::Domain::time        ? "Time"
                                  : axis.domain == Axis::Domain::frequency ? "Frequency"
                                                                           : axis.name;
    Channel lead{axis_name, axis.unit, ""};
    has_axis_ = axis.interval > 0;
    std::string line = has_axis_ ? csv_cell(channel_title(lead)) : "";
    for (const Channel& channel : r.channels)
      for (int part = 0; part < (r.complex ? 2 : 1); ++part) {
        Channel named = channel;
        if (r.complex) named.name += part == 0 ? " re" : " im";
        line += (line.empty() ? "" : ",") + csv_cell(channel_title(named));
      }
    file_.write(line + "\n");
  }
  void add(const Block& block) override {
    fmt::memory_buffer text;
    const std::vector<std::size_t> order = column_order(recording_);
    for (std::size_t n = 0; n < block.size(); ++n) {
      if (has_axis_)
        fmt::format_to(
            std::back_inserter(text), "{}",
            block.stamped() && recording_.axis.stamped
                ? block.stamps()[n]
                : recording_.axis.start + static_cast<double>(block.first() + static_cast<std::int64_t>(n)) *
                                              recording_.axis.interval);
      for (std::size_t k = 0; k < order.size(); ++k) {
        if (has_axis_ || k > 0) text.push_back(',');
        const double x = block.samples(order[k])[n];
        if (!std::isnan(x)) fmt::format_to(std::back_inserter(text), "{}", x);
      }
      text.push_back('\n');
    }
    file_.write({text.data(), text.size()});
  }
  void finish() override { file_.finish(); }

 private:
  OutputFile file_;
  Recording recording_;
  bool has_axis_ = false;
};

class Npy : public RecordingWriter {
 public:
  Npy(const std::string& path, const Recording& r, const WriteSettings& settings)
      : file_(path), numbers_(settings, "npy"), order_(column_order(r)), stamped_(r.axis.stamped) {
    const std::string real = "<f" + std::to_string(numbers_.size());
    const std::string element = r.complex ? "<c" + std::to_string(2 * numbers_.size()) : real;
    std::string dictionary = "{'descr': ";
    if (stamped_) {
      dictionary += "[('time', '<f8')";
      for (std::size_t c = 0; c < r.channels.size(); ++c)
        dictionary += ", ('ch" + std::to_string(c + 1) + "', '" + element + "')";
      dictionary += "]";
    } else {
      dictionary += "'" + element + "'";
    }
    dictionary += ", 'fortran_order': False, 'shape': (" + std::to_string(r.samples) + ",";
    if (r.channels.size() > 1 && !stamped_) dictionary += " " + std::to_string(r.channels.size());
    dictionary += "), }";
    // Magic, version and length take 10 bytes (12 in version 2); the numbers begin at a multiple of 64.
    const bool long_header = dictionary.size() > 60000;
    const std::size_t lead = long_header ? 12 : 10;
    dictionary.append(63 - (lead + dictionary.size()) % 64, ' ');
    dictionary += '\n';
    std::string head = "\x93NUMPY";
    head += static_cast<char>(long_header ? 2 : 1);
    head += '\0';
    if (long_header)
      append_bytes(head, static_cast<std::uint32_t>(dictionary.size()));
    else
      append_bytes(head, static_cast<std::uint16_t>(dictionary.size()));
    file_.write(head + dictionary);
  }
  void add(const Block& block) override { file_.write(numbers_.bytes(block, order_, stamped_)); }
  void finish() override { file_.finish(); }
  std::vector<Caution> cautions() const override {
    return {{"not-kept", Severity::note, "", "an NPY file holds neither rate nor names nor units",
             "give --rate and --calibrate when reading it, or write hdf5"}};
  }

 private:
  OutputFile file_;
  Interleaver numbers_;
  std::vector<std::size_t> order_;
  bool stamped_;
};

class Flat : public RecordingWriter {
 public:
  Flat(const std::string& path, const Recording& r, const WriteSettings& settings)
      : file_(path), numbers_(settings, "binary"), order_(column_order(r)) {
    refuse_stamps(r, "flat binary");
    how_ = "read it with --binary " + std::string(numbers_.type()) + "le:" + std::to_string(order_.size()) +
           "ch" + (r.axis.interval > 0 ? fmt::format(" --rate {}Hz", 1 / r.axis.interval) : "");
  }
  void add(const Block& block) override { file_.write(numbers_.bytes(block, order_, false)); }
  void finish() override { file_.finish(); }
  std::vector<Caution> cautions() const override {
    return {{"not-kept", Severity::note, "", "flat numbers hold neither rate nor names nor units", how_}};
  }

 private:
  OutputFile file_;
  Interleaver numbers_;
  std::vector<std::size_t> order_;
  std::string how_;
};

class Sigmf : public RecordingWriter {
 public:
  Sigmf(const std::vector<std::string>& paths, const Recording& r, const WriteSettings& settings)
      : meta_(paths[0]), data_(paths[1]), numbers_(settings, "sigmf"), order_(column_order(r)) {
    refuse_stamps(r, "SigMF");
    nlohmann::ordered_json global = {
        {"core:datatype", std::string(r.complex ? "c" : "r") + numbers_.type() + "_le"},
        {"core:version", "1.0.0"},
        {"core:num_channels", r.channels.size()},
        {"core:recorder", "Vast Prism"},
        {"vprism:channels", nlohmann::ordered_json::array()}};
    if (r.axis.interval > 0) global["core:sample_rate"] = 1 / r.axis.interval;
    for (const Channel& channel : r.channels) global["vprism:channels"].push_back(channel_title(channel));
    nlohmann::ordered_json capture = {{"core:sample_start", 0}};
    if (r.channels.front().carrier_hz != 0) capture["core:frequency"] = r.channels.front().carrier_hz;
    const nlohmann::ordered_json all = {{"global", global},
                                        {"captures", nlohmann::ordered_json::array({capture})},
                                        {"annotations", nlohmann::ordered_json::array()}};
    meta_.write(all.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n");
    meta_.finish();
  }
  void add(const Block& block) override { data_.write(numbers_.bytes(block, order_, false)); }
  void finish() override { data_.finish(); }

 private:
  OutputFile meta_, data_;
  Interleaver numbers_;
  std::vector<std::size_t> order_;
};

}  // namespace

std::unique_ptr<RecordingWriter> write_csv(const std::vector<std::string>& paths, const Recording& recording,
                                           const WriteSettings&) {
  return std::make_unique<Csv>(paths[0], recording);
}
std::unique_ptr<RecordingWriter> write_npy(const std::vector<std::string>& paths, const Recording& recording,
                                           const WriteSettings& settings) {
  return std::make_unique<Npy>(paths[0], recording, settings);
}
std::unique_ptr<RecordingWriter> write_flat(const std::vector<std::string>& paths, const Recording& recording,
                                            const WriteSettings& settings) {
  return std::make_unique<Flat>(paths[0], recording, settings);
}
std::unique_ptr<RecordingWriter> write_sigmf(const std::vector<std::string>& paths,
                                             const Recording& recording, const WriteSettings& settings) {
  return std::make_unique<Sigmf>(paths, recording, settings);
}

}  // namespace vprism
