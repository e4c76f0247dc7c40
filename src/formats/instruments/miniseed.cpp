// miniseed.cpp: miniSEED 2 by libmseed, which unpacks single records, and miniSEED 3 (miniseed3.h); the walk
// over the file is ours.
//
// Channels (network.station.location.channel) of one rate make a part. All its channels lie on one even grid
// from the earliest start on; what no record covers is a gap (NaN). A channel's records may come in any
// order.
#include <libmseed.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/format.h"
#include "formats/instruments/miniseed3.h"

namespace vprism {

namespace {

struct RecordPlace {
  std::uint64_t offset;
  std::int64_t first;  ///< Sample number on the part's grid.
  std::int64_t bytes, count;
  bool third = false;  ///< Of version 3.
};

struct Stream {
  std::string name;
  double rate = 0;
  std::vector<RecordPlace> records;
  std::vector<hptime_t> starts;
};

struct RecordFreer {
  void operator()(MSRecord* record) const { msr_free(&record); }
};
using RecordPointer = std::unique_ptr<MSRecord, RecordFreer>;

/// Least bytes that a sample takes in an encoding (SEED 2.4, appendix); 0 for the Steim schemes, whose frames
/// the library counts itself.
std::size_t sample_bytes(int encoding) {
  switch (encoding) {
    case DE_STEIM1:
    case DE_STEIM2:
      return 0;
    case DE_ASCII:
      return 1;
    case DE_INT32:
    case DE_FLOAT32:
      return 4;
    case DE_FLOAT64:
      return 8;
    case DE_GEOSCOPE24:
      return 3;
    default:
      return 2;
  }
}

/// The library unpacks as many samples as the header claims, whether they are there or not.
bool holds_its_samples(const MSRecord& record) {
  if (record.fsdh == nullptr) return false;
  const auto offset = static_cast<std::size_t>(record.fsdh->data_offset),
             length = static_cast<std::size_t>(record.reclen);
  const std::size_t each = record.encoding < 0 ? 2 : sample_bytes(record.encoding);
  return offset >= 48 && offset <= length && record.samplecnt >= 0 &&
         static_cast<std::size_t>(record.samplecnt) * each <= length - offset;
}

RecordPointer parse_record(std::vector<char>& bytes, bool unpack) {
  if (unpack) {
    const RecordPointer header = parse_record(bytes, false);
    if (!header || !holds_its_samples(*header)) return nullptr;
  }
  MSRecord* record = nullptr;
  const int code = msr_parse(bytes.data(), static_cast<int>(bytes.size()), &record,
                             static_cast<int>(bytes.size()), unpack ? 1 : 0, 0);
  RecordPointer out(record);
  return code == MS_NOERROR ? std::move(out) : nullptr;
}

class MiniSeed : public SampleSource {
 public:
  MiniSeed(const FileHead& head, const ReadSettings& settings) : file_(head.path) {
    // The library logs to standard error by itself; what is wrong is said here.
    static const auto quiet = [](char*) {};
    ms_loginit(quiet, nullptr, quiet, nullptr);
    recording_.file = head.path;
    walk();
    choose(settings);
    settle_interval(recording_, settings, recording_.axis.interval, "record headers");
  }

  const Recording& recording() const override { return recording_; }
  void rewind() override { at_ = 0; }
  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    bool gaps = false;
    for (std::size_t c = 0; c < streams_.size(); ++c) {
      const auto room = block.room(c).subspan(0, count);
      std::fill(room.begin(), room.end(), std::nan(""));
      const std::vector<RecordPlace>& records = streams_[c].records;
      // Records are in order of their first sample; the one before may reach into the block.
      auto r =
          std::lower_bound(records.begin(), records.end(), at_ - longest_,
                           [](const RecordPlace& place, std::int64_t first) { return place.first < first; });
      for (; r != records.end() && r->first < at_ + static_cast<std::int64_t>(count); ++r)
        if (r->first + r->count > at_) fill(*r, room);
      gaps = gaps || std::any_of(room.begin(), room.end(), [](double x) { return std::isnan(x); });
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  [[noreturn]] void damaged(std::uint64_t at, const char* what) const {
    throw Error(Status::input, recording_.file + ": damaged miniSEED record at byte " + std::to_string(at) +
                                   ": " + what + "; copy or export it again");
  }

  void walk() {
    std::map<std::pair<std::string, double>, std::size_t> known;
    std::vector<char> bytes;
    std::uint64_t skipped = 0;
    for (std::uint64_t at = 0; at < file_.size();) {
      if (file_.size() - at >= 40)
        if (const std::string third = file_.text(at, 296); begins_miniseed3(third)) {
          at += walk_third(third, at, known);
          continue;
        }
      if (file_.size() - at < 64) {
        skipped += file_.size() - at;
        break;
      }
      const std::string look = file_.text(at, 1024);
      int length = ms_detect(look.data(), static_cast<int>(look.size()));
      if (length < 0) {
        // Filling between records comes in steps of 64 bytes.
        at += 64;
        skipped += 64;
        continue;
      }
      if (length == 0) damaged(at, "its length is unknown");
      if (static_cast<std::uint64_t>(length) > file_.size() - at) damaged(at, "the file ends within it");
      bytes.resize(static_cast<std::size_t>(length));
      file_.read(at, bytes);
      const RecordPointer record = parse_record(bytes, false);
      if (!record) damaged(at, "its header can't be read");
      if (record->samplecnt > 0 && record->samprate > 0 && std::isfinite(record->samprate)) {
        const std::string name = std::string(record->network) + "." + record->station + "." +
                                 record->location + "." + record->channel;
        const auto [entry, fresh] = known.try_emplace({name, record->samprate}, all_.size());
        if (fresh) {
          if (all_.size() >= most_channels) damaged(at, "more channels than can be taken");
          all_.push_back({clean_text(name), record->samprate, {}, {}});
        }
        Stream& stream = all_[entry->second];
        stream.records.push_back(
            {at, 0, length, std::min<std::int64_t>(record->samplecnt, std::int64_t{1} << 30)});
        stream.starts.push_back(record->starttime);
      }
      at += static_cast<std::uint64_t>(length);
    }
    if (all_.empty()) damaged(0, "no record with samples");
    if (passed_over_ > 0)
      recording_.cautions.push_back(
          {"records-left-out", Severity::note, "",
           std::to_string(passed_over_) + " records hold text, opaque data or samples without a rate", ""});
    if (skipped > 0)
      recording_.cautions.push_back(
          {"trailing-data", Severity::warning, "",
           std::to_string(skipped) + " bytes are no miniSEED records and are left out",
           "copy the file again if data are missing"});
  }

  /// Takes a record of version 3 that begins at `at`; its length.
  std::uint64_t walk_third(const std::string& head, std::uint64_t at,
                           std::map<std::pair<std::string, double>, std::size_t>& known) {
    const auto record = miniseed3_header(head);
    if (!record) damaged(at, "its header can't be read");
    if (record->bytes > file_.size() - at) damaged(at, "the file ends within it");
    constexpr std::size_t largest = std::size_t{1} << 28;
    if (record->bytes > largest) damaged(at, "it is larger than 256 MB");
    const bool samples = record->encoding != 0 && record->encoding != 100;
    if (record->samples > 0 && record->rate_hz > 0 && samples) {
      const auto [entry, fresh] = known.try_emplace({record->name, record->rate_hz}, all_.size());
      if (fresh) {
        if (all_.size() >= most_channels) damaged(at, "more channels than can be taken");
        all_.push_back({clean_text(record->name), record->rate_hz, {}, {}});
      }
      Stream& stream = all_[entry->second];
      stream.records.push_back({at, 0, static_cast<std::int64_t>(record->bytes), record->samples, true});
      stream.starts.push_back(record->start_us);
    }
    if (record->samples > 0 && !(record->rate_hz > 0 && samples)) ++passed_over_;
    return record->bytes;
  }

  void unpack_third(const RecordPlace& r) {
    std::vector<char> bytes(static_cast<std::size_t>(r.bytes));
    file_.read(r.offset, bytes);
    const std::string_view whole(bytes.data(), bytes.size());
    const auto record = miniseed3_header(whole);
    if (!record) damaged(r.offset, "its header can't be read");
    if (record->crc != 0 && miniseed3_checksum(whole) != record->crc)
      damaged(r.offset, "its checksum does not fit");
    auto samples = miniseed3_samples(whole, *record);
    if (!samples) damaged(r.offset, "its samples can't be unpacked");
    samples_ = std::move(*samples);
  }

  void choose(const ReadSettings& settings) {
    std::vector<double> rates;
    for (const Stream& s : all_)
      if (std::find(rates.begin(), rates.end(), s.rate) == rates.end()) rates.push_back(s.rate);
    std::size_t fastest = 0;
    for (std::size_t i = 0; i < rates.size(); ++i) {
      const auto count =
          std::count_if(all_.begin(), all_.end(), [&](const Stream& s) { return s.rate == rates[i]; });
      recording_.parts.push_back({format_quantity(rates[i], "Hz", 9),
                                  std::to_string(count) + (count == 1 ? " channel" : " channels")});
      if (rates[i] > rates[fastest]) fastest = i;
    }
    recording_.part = choose_part(recording_.file, recording_.parts, settings, fastest);
    const double rate = rates[recording_.part];
    if (recording_.parts.size() == 1) recording_.parts.clear(), recording_.part = 0;
    for (Stream& s : all_)
      if (s.rate == rate) streams_.push_back(std::move(s));
    hptime_t begin = streams_.front().starts.front();
    for (const Stream& s : streams_)
      begin = std::min(begin, *std::min_element(s.starts.begin(), s.starts.end()));
    place(begin, rate);
    recording_.format = "miniSEED";
    recording_.axis.interval = 1 / rate;
    constexpr hptime_t furthest = hptime_t{9200000000} * HPTMODULUS;
    if (begin > -furthest && begin < furthest) recording_.zero_ns = begin * (1000000000 / HPTMODULUS);
  }

  /// Puts every record on the grid, and tells of what does not fit.
  void place(hptime_t begin, double rate) {
    std::int64_t present = 0;
    double worst = 0;
    for (Stream& s : streams_) {
      for (std::size_t i = 0; i < s.records.size(); ++i) {
        const double exact =
            (static_cast<double>(s.starts[i]) - static_cast<double>(begin)) / HPTMODULUS * rate;
        if (!(exact < 1e15)) damaged(s.records[i].offset, "its time is out of all range");
        s.records[i].first = std::llround(exact);
        worst = std::max(worst, std::abs(exact - std::round(exact)));
        longest_ = std::max<std::int64_t>(longest_, s.records[i].count);
        present += s.records[i].count;
      }
      std::sort(s.records.begin(), s.records.end(),
                [](const RecordPlace& a, const RecordPlace& b) { return a.first < b.first; });
      std::int64_t end = s.records.front().first, gaps = 0, missing = end, overlaps = 0;
      for (const RecordPlace& r : s.records) {
        if (r.first > end) ++gaps, missing += r.first - end;
        if (r.first < end) ++overlaps;
        end = std::max(end, r.first + r.count);
      }
      if (gaps > 0)
        recording_.cautions.push_back(
            {"gaps", Severity::warning, s.name,
             std::to_string(gaps) + (gaps == 1 ? " gap, " : " gaps, ") + std::to_string(missing) +
                 " samples missing",
             "spectra are averaged between the gaps; or gate to a stretch without"});
      if (overlaps > 0)
        recording_.cautions.push_back(
            {"overlap", Severity::warning, s.name,
             std::to_string(overlaps) + " records overlap the one before; the later one counts",
             "check the recorder's clock"});
      recording_.samples = std::max(recording_.samples, end);
      recording_.channels.push_back({s.name, {}, ""});
    }
    if (recording_.samples / 100 > present + 100000)
      throw Error(Status::input, recording_.file +
                                     ": the gaps between its records are over a hundred times as long as "
                                     "the data; cut the file at the gap");
    if (worst > 0.05)
      recording_.cautions.push_back(
          {"axis-jitter", Severity::note, "",
           "records start up to " + format_number(worst, 2) + " samples off the even grid; the grid is used",
           "nothing, unless the recorder's clock drifts"});
    for (const Stream& s : streams_) {
      const RecordPlace& last = s.records.back();
      if (s.records.front().first != 0 || last.first + last.count != recording_.samples) {
        recording_.cautions.push_back({"unequal-lengths", Severity::note, "",
                                       "not all channels start and end together; what is missing is a gap",
                                       ""});
        break;
      }
    }
  }

  /// What record `r` has of the stretch that `room` stands for.
  void fill(const RecordPlace& r, std::span<double> room) {
    if (cached_ != r.offset && r.third) {
      unpack_third(r);
      cached_ = r.offset;
    }
    if (cached_ != r.offset) {
      std::vector<char> bytes(static_cast<std::size_t>(r.bytes));
      file_.read(r.offset, bytes);
      const RecordPointer record = parse_record(bytes, true);
      if (!record || record->numsamples <= 0) damaged(r.offset, "its samples can't be unpacked");
      samples_.resize(static_cast<std::size_t>(record->numsamples));
      for (std::size_t n = 0; n < samples_.size(); ++n) {
        switch (record->sampletype) {
          case 'i':
            samples_[n] = static_cast<const std::int32_t*>(record->datasamples)[n];
            break;
          case 'f':
            samples_[n] = static_cast<double>(static_cast<const float*>(record->datasamples)[n]);
            break;
          case 'd':
            samples_[n] = static_cast<const double*>(record->datasamples)[n];
            break;
          default:
            damaged(r.offset, "it holds text, not samples");
        }
      }
      cached_ = r.offset;
    }
    if (static_cast<std::int64_t>(samples_.size()) < r.count)
      damaged(r.offset, "fewer samples than its header says");
    const std::int64_t from = std::max(r.first, at_);
    const std::int64_t to = std::min(r.first + r.count, at_ + static_cast<std::int64_t>(room.size()));
    for (std::int64_t n = from; n < to; ++n)
      room[static_cast<std::size_t>(n - at_)] = samples_[static_cast<std::size_t>(n - r.first)];
  }

  InputFile file_;
  Recording recording_;
  std::vector<Stream> all_, streams_;
  std::int64_t at_ = 0, longest_ = 0, passed_over_ = 0;
  std::uint64_t cached_ = std::numeric_limits<std::uint64_t>::max();
  std::vector<double> samples_;
};

}  // namespace

bool recognises_miniseed(const FileHead& head) {
  if (begins_miniseed3({head.bytes.data(), head.bytes.size()})) return true;
  if (head.bytes.size() < 64) return false;
  // Six digits or blanks, a quality letter, a blank.
  for (std::size_t i = 0; i < 6; ++i)
    if (head.bytes[i] != ' ' && (head.bytes[i] < '0' || head.bytes[i] > '9')) return false;
  return std::string_view("DRQM").find(head.bytes[6]) != std::string_view::npos &&
         (head.bytes[7] == ' ' || head.bytes[7] == '\0') &&
         ms_detect(head.bytes.data(), static_cast<int>(std::min<std::size_t>(head.bytes.size(), 65536))) > 0;
}

std::unique_ptr<SampleSource> open_miniseed(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<MiniSeed>(head, settings);
}

}  // namespace vprism
