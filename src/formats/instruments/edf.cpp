// edf.cpp: EDF, EDF+, BDF and BDF+ by EDFlib. Signals of one rate are the channels of a part; annotations of
// EDF+ are kept as notes. Discontinuous recordings (EDF+D) are refused by the library.
#include <edflib.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <mutex>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/format.h"

namespace vprism {

namespace {

/// EDFlib keeps its open files in one table for the whole program.
std::mutex& table_lock() {
  static std::mutex lock;
  return lock;
}

const char* complaint(int code) {
  switch (code) {
    case EDFLIB_MALLOC_ERROR:
      return "no memory";
    case EDFLIB_NO_SUCH_FILE_OR_DIRECTORY:
      return "can't be opened";
    case EDFLIB_FILE_CONTAINS_FORMAT_ERRORS:
      return "damaged EDF or BDF file: header and length do not agree, or a header field is not as the "
             "specification wants it; export it again";
    case EDFLIB_FILE_IS_DISCONTINUOUS:
      return "a discontinuous recording (EDF+D), which is not read; export its stretches one by one";
    case EDFLIB_MAXFILES_REACHED:
      return "too many EDF files at once";
    case EDFLIB_FILE_ALREADY_OPENED:
      return "the same EDF file is named twice";
    default:
      return "damaged EDF or BDF file; export it again";
  }
}

class Edf : public SampleSource {
 public:
  Edf(const FileHead& head, const ReadSettings& settings) : header_(std::make_unique<edf_hdr_struct>()) {
    check_header(head);
    {
      const std::lock_guard guard(table_lock());
      if (edfopen_file_readonly(head.path.c_str(), header_.get(), EDFLIB_READ_ALL_ANNOTATIONS) != 0)
        throw Error(Status::input, head.path + ": " + complaint(header_->filetype));
    }
    handle_ = header_->handle;
    try {
      describe(head, settings);
    } catch (...) {
      close();
      throw;
    }
  }
  ~Edf() override { close(); }
  Edf(const Edf&) = delete;
  Edf& operator=(const Edf&) = delete;

  const Recording& recording() const override { return recording_; }
  void rewind() override {
    at_ = 0;
    for (const int s : signals_) edfseek(handle_, s, 0, EDFSEEK_SET);
  }
  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    for (std::size_t c = 0; c < signals_.size() && count > 0; ++c)
      if (edfread_physical_samples(handle_, signals_[c], static_cast<int>(count), block.room(c).data()) !=
          static_cast<int>(count))
        throw Error(Status::input, recording_.file + ": damaged or cut after sample " + std::to_string(at_) +
                                       " of \"" + recording_.channels[c].name + "\"; export it again");
    block.set(at_, count);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  void close() {
    const std::lock_guard guard(table_lock());
    edfclose_file(handle_);
  }

  /// What the library trusts and must not: the numbers of data records and of signals against the size.
  static void check_header(const FileHead& head) {
    const auto field = [&](std::size_t at, std::size_t width) {
      return std::atoll(head.bytes.substr(std::min(at, head.bytes.size()), width).c_str());
    };
    const long long header = field(184, 8), records = field(236, 8), signals = field(252, 4);
    if (head.size < 512 || signals < 1 || signals > EDFLIB_MAXSIGNALS || header != 256 * (signals + 1) ||
        static_cast<std::uint64_t>(header) > head.size || records == 0 || records < -1)
      throw Error(Status::input, head.path + ": damaged EDF header: " + std::to_string(signals) +
                                     " signals, " + std::to_string(records) + " data records, a header of " +
                                     std::to_string(header) + " bytes; export it again");
    if (head.bytes.size() < static_cast<std::size_t>(header)) return;
    // Samples of a data record stand 216 bytes a signal behind the general header.
    const std::uint64_t width = head.bytes[0] == '0' ? 2 : 3;
    std::uint64_t record = 0;
    for (long long s = 0; s < signals; ++s) {
      const long long samples = field(static_cast<std::size_t>(256 + 216 * signals + 8 * s), 8);
      if (samples < 1 || samples > (1 << 26)) return;
      record += width * static_cast<std::uint64_t>(samples);
    }
    const std::uint64_t there = head.size - static_cast<std::uint64_t>(header);
    if (records > 0 && there == record * static_cast<std::uint64_t>(records)) return;
    throw Error(Status::input,
                fmt::format("{}: damaged or cut: its header promises {} data records of {} bytes, {:.6g} are "
                            "there{}; copy or export "
                            "it again",
                            head.path, records < 0 ? "an unknown number of" : std::to_string(records), record,
                            static_cast<double>(there) / static_cast<double>(record),
                            records < 0 ? " (the recorder never closed the file)" : ""));
  }

  void describe(const FileHead& head, const ReadSettings& settings) {
    const edf_hdr_struct& h = *header_;
    const char* kind = h.filetype == 1 ? "EDF+" : h.filetype == 2 ? "BDF" : h.filetype == 3 ? "BDF+" : "EDF";
    recording_.file = head.path;
    recording_.format = std::string(kind) + " recording";
    std::vector<int> rates;
    for (int s = 0; s < h.edfsignals; ++s) {
      const int per_record = h.signalparam[s].smp_in_datarecord;
      if (std::find(rates.begin(), rates.end(), per_record) == rates.end()) rates.push_back(per_record);
    }
    if (rates.empty())
      throw Error(Status::input, head.path + ": an EDF file without signals; export it again");
    const double record_s = static_cast<double>(h.datarecord_duration) * 1e-7;
    const auto rate_of = [&](int per_record) { return record_s > 0 ? per_record / record_s : 0; };
    for (const int rate : rates) {
      int count = 0;
      for (int s = 0; s < h.edfsignals; ++s) count += h.signalparam[s].smp_in_datarecord == rate;
      recording_.parts.push_back({format_quantity(rate_of(rate), "Hz", 9),
                                  std::to_string(count) + (count == 1 ? " channel" : " channels")});
    }
    std::size_t fastest = 0;
    for (std::size_t i = 0; i < rates.size(); ++i)
      if (rates[i] > rates[fastest]) fastest = i;
    recording_.part = choose_part(head.path, recording_.parts, settings, fastest);
    const int chosen = rates[recording_.part];
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
    long long samples = -1;
    for (int s = 0; s < h.edfsignals; ++s) {
      const edf_param_struct& p = h.signalparam[s];
      if (p.smp_in_datarecord != chosen) continue;
      Channel channel;
      channel.name = clean_text(trimmed(p.label));
      const std::string unit = clean_text(trimmed(p.physdimension));
      const auto known = unit.empty() ? std::optional<Unit>(Unit()) : Unit::try_parse(unit);
      channel.unit = known ? *known : Unit::opaque(unit);
      channel.quantity = quantity_of(channel.unit);
      signals_.push_back(s);
      samples = samples < 0 ? p.smp_in_file : std::min(samples, p.smp_in_file);
      if (const std::string text = clean_text(trimmed(p.prefilter)); !text.empty())
        recording_.notes.emplace_back(channel.name + " prefilter", text);
      if (const std::string text = clean_text(trimmed(p.transducer)); !text.empty())
        recording_.notes.emplace_back(channel.name + " transducer", text);
      recording_.channels.push_back(std::move(channel));
    }
    make_names_distinct(recording_.channels);
    if (samples <= 0)
      throw Error(Status::input, head.path + ": the EDF file holds no samples; export it again");
    recording_.samples = samples;
    recording_.zero_ns = nanoseconds_since_1970(
        h.startdate_year, h.startdate_month, h.startdate_day, h.starttime_hour, h.starttime_minute,
        h.starttime_second + 1e-7 * static_cast<double>(h.starttime_subsecond));
    for (long long i = 0; i < std::min<long long>(h.annotations_in_file, 20); ++i) {
      edf_annotation_struct note;
      if (edf_get_annotation(handle_, static_cast<int>(i), &note) == 0)
        recording_.notes.emplace_back("at " + format_quantity(static_cast<double>(note.onset) * 1e-7, "s", 9),
                                      clean_text(note.annotation));
    }
    settle_interval(recording_, settings, rate_of(chosen) > 0 ? 1 / rate_of(chosen) : 0, "file header");
  }

  std::unique_ptr<edf_hdr_struct> header_;
  int handle_ = -1;
  Recording recording_;
  std::vector<int> signals_;
  std::int64_t at_ = 0;
};

}  // namespace

bool recognises_edf(const FileHead& head) {
  if (head.bytes.size() < 176) return false;
  const std::string_view first = std::string_view(head.bytes).substr(0, 8);
  return (first == "0       " || first ==
                                     "\xFF"
                                     "BIOSEMI") &&
         head.bytes[168 + 2] == '.';
}

std::unique_ptr<SampleSource> open_edf(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Edf>(head, settings);
}

}  // namespace vprism
