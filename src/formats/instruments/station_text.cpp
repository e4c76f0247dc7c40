// station_text.cpp: see station_text.h.
#include "formats/instruments/station_text.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

constexpr std::string_view head_word = "TIMESERIES ";
constexpr std::int64_t most_samples = std::int64_t{1} << 30;

struct Stretch {
  std::string name, unit;
  std::int64_t promised = 0, start_ns = 0, line = 0;
  double rate = 0;
  bool pairs = false;
  std::vector<double> samples;
};

class StationText {
 public:
  explicit StationText(const FileHead& head) : file_(head.path) {
    if (head.size > (std::uint64_t{1} << 30))
      throw Error(Status::input, head.path + ": station text of more than 1 GB; ask for miniSEED");
    LineReader lines(file_);
    std::string line;
    for (std::int64_t number = 1; lines.get(line); ++number) {
      const std::string_view text = trimmed(line);
      if (text.empty()) continue;
      if (starts_with(text, head_word))
        stretches_.push_back(begun(text.substr(head_word.size()), number));
      else
        take(text, number);
    }
  }

  std::unique_ptr<SampleSource> source(const ReadSettings& settings) {
    Recording recording;
    recording.file = file_.name();
    recording.format = "station text";
    std::vector<double> rates;
    for (const Stretch& s : stretches_)
      if (std::find(rates.begin(), rates.end(), s.rate) == rates.end()) rates.push_back(s.rate);
    for (const double rate : rates) {
      const auto count = std::count_if(stretches_.begin(), stretches_.end(),
                                       [rate](const Stretch& s) { return s.rate == rate; });
      recording.parts.push_back(
          {format_quantity(rate, "Hz", 9), std::to_string(count) + (count == 1 ? " stretch" : " stretches")});
    }
    const auto fastest =
        static_cast<std::size_t>(std::max_element(rates.begin(), rates.end()) - rates.begin());
    recording.part = choose_part(recording.file, recording.parts, settings, fastest);
    const double rate = rates[recording.part];
    if (recording.parts.size() == 1) recording.parts.clear(), recording.part = 0;
    std::vector<std::vector<double>> columns = on_grid(rate, recording);
    settle_interval(recording, settings, 1 / rate, "file header");
    return std::make_unique<MemorySource>(std::move(recording), std::move(columns));
  }

 private:
  [[noreturn]] void damaged(std::int64_t line, const std::string& what) const {
    throw Error(Status::input,
                file_.name() + ":" + std::to_string(line) + ": " + what + "; copy or export it again");
  }

  Stretch begun(std::string_view text, std::int64_t line) const {
    std::vector<std::string_view> cells;
    split_cells(text, ',', cells);
    if (cells.size() < 5) damaged(line, "a TIMESERIES line of " + std::to_string(cells.size()) + " fields");
    Stretch s;
    s.line = line;
    s.name = clean_text(trimmed(cells[0]));
    // The last field of the name is the data's quality.
    if (s.name.size() > 2 && s.name[s.name.size() - 2] == '_') s.name.resize(s.name.size() - 2);
    std::replace(s.name.begin(), s.name.end(), '_', '.');
    const auto counted = [&](std::string_view cell, const char* unit) {
      cell = trimmed(cell);
      const std::size_t blank = cell.find(' ');
      double value = 0;
      if (blank == std::string_view::npos || trimmed(cell.substr(blank)) != unit ||
          !parse_cell(cell.substr(0, blank), '.', value))
        damaged(line, "\"" + clean_text(cell, 40) + "\" is no number of " + unit);
      return value;
    };
    const double count = counted(cells[1], "samples");
    s.rate = counted(cells[2], "sps");
    if (!(count >= 0 && count < static_cast<double>(most_samples)) || !(s.rate > 0))
      damaged(line, "no number of samples, or no rate");
    s.promised = static_cast<std::int64_t>(count);
    const auto start = parse_date_time(trimmed(cells[3]));
    if (!start) damaged(line, "\"" + clean_text(trimmed(cells[3]), 40) + "\" is no time");
    s.start_ns = *start;
    const std::string_view form = trimmed(cells[4]);
    if (form != "SLIST" && form != "TSPAIR")
      damaged(line, "samples in the form \"" + clean_text(form, 20) + "\"; SLIST and TSPAIR are known");
    s.pairs = form == "TSPAIR";
    if (cells.size() > 6) s.unit = clean_text(trimmed(cells[6]));
    return s;
  }

  void take(std::string_view text, std::int64_t line) {
    if (stretches_.empty()) damaged(line, "samples before the first TIMESERIES line");
    Stretch& s = stretches_.back();
    split_cells(text, ' ', cells_);
    double value = 0;
    for (std::size_t i = s.pairs ? 1 : 0; i < cells_.size(); ++i) {
      const bool word = is_missing_word(cells_[i]);
      if (!word && !parse_cell(cells_[i], '.', value))
        damaged(line, "\"" + clean_text(cells_[i], 40) + "\" is no number");
      s.samples.push_back(word ? std::nan("") : value);
    }
  }

  std::vector<std::vector<double>> on_grid(double rate, Recording& recording) const {
    std::int64_t begin = INT64_MAX;
    for (const Stretch& s : stretches_)
      if (s.rate == rate) begin = std::min(begin, s.start_ns);
    std::map<std::string, std::size_t> known;
    std::vector<std::vector<double>> columns;
    std::size_t longest = 0, present = 0;
    for (const Stretch& s : stretches_) present += s.rate == rate ? s.samples.size() : 0;
    double worst = 0;
    for (const Stretch& s : stretches_) {
      if (s.rate != rate) continue;
      if (static_cast<std::int64_t>(s.samples.size()) != s.promised)
        recording.cautions.push_back({"length-disagrees", Severity::serious, s.name,
                                      "line " + std::to_string(s.line) + " promises " +
                                          std::to_string(s.promised) + " samples, " +
                                          std::to_string(s.samples.size()) + " follow",
                                      "copy or export the file again"});
      const auto [entry, fresh] = known.try_emplace(s.name, columns.size());
      if (fresh) {
        if (columns.size() == most_channels) damaged(s.line, "more channels than can be taken");
        Channel channel{s.name, {}, ""};
        if (const auto unit = Unit::try_parse(s.unit); unit && !s.unit.empty())
          channel.unit = *unit;
        else if (!s.unit.empty())
          channel.unit = Unit::opaque(s.unit);
        channel.quantity = quantity_of(channel.unit);
        recording.channels.push_back(channel);
        columns.emplace_back();
      }
      std::vector<double>& column = columns[entry->second];
      const double exact =
          static_cast<double>(static_cast<std::uint64_t>(s.start_ns) - static_cast<std::uint64_t>(begin)) *
          1e-9 * rate;  // `begin` is the earliest.
      if (!(exact / 100 < static_cast<double>(present + 100000)))
        damaged(s.line,
                "it begins over a hundred times as long after the first stretch as there are data; cut the "
                "file at the gap");
      const auto first = static_cast<std::size_t>(std::llround(exact));
      worst = std::max(worst, std::abs(exact - std::round(exact)));
      if (column.size() < first + s.samples.size()) column.resize(first + s.samples.size(), std::nan(""));
      std::copy(s.samples.begin(), s.samples.end(), column.begin() + static_cast<std::ptrdiff_t>(first));
      longest = std::max(longest, column.size());
    }
    if (longest == 0) damaged(stretches_.front().line, "no samples below it");
    for (std::vector<double>& column : columns) column.resize(longest, std::nan(""));
    recording.samples = static_cast<std::int64_t>(longest);
    recording.zero_ns = begin;
    if (worst > 0.05)
      recording.cautions.push_back({"axis-jitter", Severity::note, "",
                                    "stretches begin up to " + format_number(worst, 2) +
                                        " samples off the even grid; the grid is used",
                                    "nothing, unless the recorder's clock drifts"});
    return columns;
  }

  InputFile file_;
  std::vector<Stretch> stretches_;
  std::vector<std::string_view> cells_;
};

}  // namespace

bool recognises_station_text(const FileHead& head) { return starts_with(head.bytes, head_word); }

std::unique_ptr<SampleSource> open_station_text(const FileHead& head, const ReadSettings& settings) {
  return StationText(head).source(settings);
}

}  // namespace vprism
