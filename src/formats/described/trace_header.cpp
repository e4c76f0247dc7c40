// trace_header.cpp: NAME.hdr with NAME.wvf; see described_binary.h.
#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/described/described_binary.h"
#include "formats/text/clock/clock.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

/// "Key value value ..." lines: those of "$PublicInfo", and of each group.
struct Group {
  std::map<std::string, std::vector<std::string>> all;
  std::string at(const std::string& key, std::size_t n) const {
    const auto found = all.find(key);
    return found == all.end() || n >= found->second.size() ? "" : found->second[n];
  }
  double number(const std::string& key, std::size_t n, double otherwise) const {
    double value = 0;
    return parse_cell(at(key, n), '.', value) ? value : otherwise;
  }
};

struct TraceHeader {
  Group info;
  std::vector<Group> groups;
};

TraceHeader trace_header_of(std::string_view text) {
  TraceHeader out;
  Group* into = nullptr;
  std::vector<std::string_view> words;
  while (!text.empty()) {
    const std::size_t end = text.find('\n');
    const std::string_view line = trimmed(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (line.empty() || starts_with(line, "//")) continue;
    if (line.front() == '$') {
      const std::string section = lower_case(line.substr(1));
      if (section == "publicinfo")
        into = &out.info;
      else if (section.starts_with("group") && out.groups.size() < 64)
        into = &out.groups.emplace_back();
      else
        into = nullptr;
      continue;
    }
    if (into == nullptr) continue;
    split_cells(line, ' ', words);
    std::vector<std::string>& values = into->all[std::string(words[0])];
    for (std::size_t w = 1; w < words.size(); ++w) values.push_back(clean_text(utf8_from_any(words[w])));
  }
  return out;
}

/// "IS2": integers with a sign, of two bytes; "FS4": floats.
const NumberType* type_of(const std::string& text, bool big) {
  if (text.size() < 3 || !is_digit(text[2])) return nullptr;
  const char kind = text[0] == 'F' ? 'f' : text[0] == 'I' ? (text[1] == 'U' ? 'u' : 'i') : ' ';
  return kind == ' ' ? nullptr : find_number_type(kind, static_cast<std::size_t>(text[2] - '0'), big);
}

}  // namespace

bool recognises_trace_header(const FileHead& head) {
  const std::string text = header_text_seen(head, header_beside(head, ".hdr", {".wvf"}));
  return text.find("$PublicInfo") != std::string::npos && text.find("$Group1") != std::string::npos;
}

std::unique_ptr<SampleSource> open_trace_header(const FileHead& head, const ReadSettings& settings) {
  const std::string name = header_beside(head, ".hdr", {".wvf"});
  const TraceHeader said = trace_header_of(header_text(name));
  const auto fail = [&](const std::string& what) { return Error(Status::input, name + ": " + what); };
  const bool big = lower_case(said.info.at("Endian", 0)) == "big";
  const bool by_turns = lower_case(said.info.at("DataFormat", 0)) == "block";
  DescribedBinary d;
  d.recording.file = head.path;
  d.recording.format = "trace header with numbers";
  std::string file = name.substr(name.find_last_of('/') + 1);
  const bool capitals = file.size() > 4 && file.ends_with(".HDR");
  file = file.substr(0, file.rfind('.')) + (capitals ? ".WVF" : ".wvf");
  d.data = data_beside(name, file);
  auto at = static_cast<std::uint64_t>(std::max(0.0, said.info.number("DataOffset", 0, 0)));
  std::vector<std::string> others;
  std::size_t blocks = 0;
  for (const Group& g : said.groups) {
    const double traces = g.number("TraceNumber", 0, 0);
    if (!(traces >= 1 && traces <= 4096)) throw fail("TraceNumber must be 1 to 4096; export it again");
    blocks = std::max(blocks, static_cast<std::size_t>(std::max(1.0, g.number("BlockNumber", 0, 1))));
    for (std::size_t c = 0; c < static_cast<std::size_t>(traces); ++c) {
      const NumberType* const type = type_of(g.at("VDataType", c), big);
      const double size = g.number("BlockSize", c, 0), step = g.number("HResolution", c, 0);
      if (type == nullptr)
        throw fail("numbers of kind \"" + g.at("VDataType", c) + "\" can't be read; export it again");
      if (!(size >= 1 && size < 1e12)) throw fail("BlockSize must be above zero; export it again");
      const auto points = static_cast<std::int64_t>(size);
      Channel channel;
      channel.name = g.at("TraceName", c);
      if (const std::string unit = g.at("VUnit", c); !unit.empty())
        channel.unit = Unit::try_parse(unit).value_or(Unit::opaque(unit));
      channel.quantity = quantity_of(channel.unit);
      Field field;
      field.type = type, field.offset = at, field.stride = type->size;
      field.factor = g.number("VResolution", c, 1), field.add = g.number("VOffset", c, 0);
      at += type->size * static_cast<std::uint64_t>(points);
      // Traces of another length or rate are other recordings.
      if (d.promised >= 0 && (points != d.promised || std::abs(step - d.interval_s) > 1e-9 * step)) {
        others.push_back(channel.name);
        continue;
      }
      if (d.promised < 0) {
        d.promised = points, d.interval_s = step;
        d.recording.axis.start = g.number("HOffset", c, 0);
        const auto day = parse_date(g.at("Date", c));
        const auto time = parse_time_of_day(g.at("Time", c));
        if (day && time) d.recording.zero_ns = *day + *time;
        const std::string along = g.at("HUnit", c);
        if (!along.empty() && lower_case(along) != "s")
          d.recording.cautions.push_back({"axis-unit-assumed", Severity::warning, "",
                                          "the header's axis is in \"" + along + "\"; seconds are taken",
                                          "give --rate or --interval"});
      }
      d.recording.channels.push_back(std::move(channel));
      d.layout.columns.push_back(field);
    }
  }
  if (by_turns || blocks > 1)
    throw fail(std::to_string(blocks) +
               " blocks of each trace, one after the other: export one block at a time");
  if (!others.empty())
    d.recording.cautions.push_back({"columns-left-out", Severity::warning, "",
                                    quoted_names(others, 6) + ": of another length or rate, left out",
                                    "export each rate by itself"});
  return open_described(std::move(d), settings);
}

}  // namespace vprism
