// channel_header.cpp: NAME.vhdr with NAME.eeg; see described_binary.h.
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/described/described_binary.h"
#include "formats/text/tables/text_layout.h"

namespace vprism {

namespace {

/// Keys in small letters by "section.key"; those of the channels in their order.
struct Sections {
  std::map<std::string, std::string> all;
  std::map<std::size_t, std::string> channels;
  std::string at(const std::string& key) const {
    const auto found = all.find(key);
    return found == all.end() ? "" : found->second;
  }
};

Sections sections_of(std::string_view text) {
  Sections out;
  std::string section;
  while (!text.empty()) {
    const std::size_t end = text.find('\n');
    const std::string_view line = trimmed(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (line.empty() || line.front() == ';') continue;
    if (line.front() == '[') {
      section = lower_case(line.substr(1, line.find(']') - 1));
      continue;
    }
    const std::size_t mark = line.find('=');
    if (mark == std::string_view::npos || section == "comment") continue;
    const std::string key = lower_case(trimmed(line.substr(0, mark)));
    const std::string value(trimmed(line.substr(mark + 1)));
    double number = 0;
    if (section == "channel infos" && key.starts_with("ch") && parse_cell(key.substr(2), '.', number) &&
        number >= 1 && number <= 4096)
      out.channels[static_cast<std::size_t>(number)] = value;
    else
      out.all[section + "." + key] = value;
  }
  return out;
}

bool is_channel_header(std::string_view text) {
  return text.find("[Common Infos]") != std::string_view::npos &&
         text.find("DataOrientation=") != std::string_view::npos;
}

/// "Fp1,,0.5,µV": name, reference, what a count is worth, unit. A comma in a name is written "\1".
std::vector<std::string> fields_of(const std::string& text) {
  std::vector<std::string> out = split(text, ',');
  out.resize(4);
  for (std::string& field : out) {
    for (std::size_t at = field.find("\\1"); at != std::string::npos; at = field.find("\\1", at))
      field.replace(at, 2, ",");
    field = clean_text(trimmed(utf8_from_any(field)));
  }
  return out;
}

}  // namespace

bool recognises_channel_header(const FileHead& head) {
  return is_channel_header(header_text_seen(head, header_beside(head, ".vhdr", {".eeg", ".dat"})));
}

std::unique_ptr<SampleSource> open_channel_header(const FileHead& head, const ReadSettings& settings) {
  const std::string name = header_beside(head, ".vhdr", {".eeg", ".dat"});
  const Sections said = sections_of(header_text(name));
  const auto fail = [&](const std::string& what) { return Error(Status::input, name + ": " + what); };
  if (lower_case(said.at("common infos.dataformat")) != "binary")
    throw fail("its numbers are text (DataFormat=" + clean_text(said.at("common infos.dataformat"), 20) +
               "); give the data file itself, with --rate");
  const std::string kind = lower_case(said.at("binary infos.binaryformat"));
  const bool big = lower_case(said.at("binary infos.usebigendianorder")) == "yes";
  const NumberType* const type = kind == "int_16"          ? find_number_type('i', 2, big)
                                 : kind == "uint_16"       ? find_number_type('u', 2, big)
                                 : kind == "int_32"        ? find_number_type('i', 4, big)
                                 : kind == "ieee_float_32" ? find_number_type('f', 4, big)
                                 : kind == "ieee_float_64" ? find_number_type('f', 8, big)
                                                           : nullptr;
  if (type == nullptr)
    throw fail("numbers of kind \"" + clean_text(kind, 40) + "\" can't be read; export it again");
  double count = 0, interval_us = 0, points = 0, skip = 0;
  if (!parse_cell(said.at("common infos.numberofchannels"), '.', count) || count < 1 || count > 4096 ||
      count != std::floor(count))
    throw fail("NumberOfChannels must be 1 to 4096; export it again");
  if (!parse_cell(said.at("common infos.samplinginterval"), '.', interval_us) || !(interval_us > 0))
    throw fail("SamplingInterval, in microseconds, must be above zero; export it again");
  if (!parse_cell(said.at("common infos.datapoints"), '.', points) || !(points >= 1)) points = -1;
  if (!parse_cell(said.at("binary infos.datafileheadersize"), '.', skip) || !(skip >= 0)) skip = 0;
  const auto channels = static_cast<std::size_t>(count);
  DescribedBinary d;
  std::string named = said.at("common infos.datafile");
  if (const std::size_t base = named.find("$b"); base != std::string::npos)
    named = name.substr(name.find_last_of('/') + 1)
                .substr(0, name.substr(name.find_last_of('/') + 1).rfind('.')) +
            named.substr(base + 2);
  d.data = data_beside(name, named);
  d.recording.file = head.path;
  d.recording.format = "channel header with " + clean_text(kind, 20);
  d.interval_s = interval_us * 1e-6;
  const bool vectors = lower_case(said.at("common infos.dataorientation")) == "vectorized";
  const std::uint64_t size = type->size, all = InputFile(d.data).size();
  const auto begins = static_cast<std::uint64_t>(skip);
  if (points < 0)
    points = std::floor(static_cast<double>(all > begins ? all - begins : 0) /
                        (static_cast<double>(size) * count));
  d.promised = static_cast<std::int64_t>(points);
  d.frame = size * channels;
  bool unscaled = false;
  for (std::size_t c = 0; c < channels; ++c) {
    const auto given = said.channels.find(c + 1);
    const std::vector<std::string> fields =
        given == said.channels.end() ? std::vector<std::string>(4) : fields_of(given->second);
    Channel channel;
    channel.name = fields[0];
    // Without a unit it is microvolts.
    const std::string unit = fields[3].empty() ? "\u00b5V" : fields[3];
    channel.unit = Unit::try_parse(unit).value_or(Unit::opaque(unit));
    channel.quantity = quantity_of(channel.unit);
    Field field;
    field.type = type;
    if (!fields[2].empty() && !(parse_cell(fields[2], '.', field.factor) && field.factor != 0))
      field.factor = 1, unscaled = true;
    field.stride = vectors ? size : d.frame;
    field.offset = begins + (vectors ? c * static_cast<std::uint64_t>(points) : c) * size;
    d.layout.columns.push_back(field);
    d.recording.channels.push_back(std::move(channel));
    if (!fields[1].empty())
      d.recording.notes.emplace_back("reference of " + d.recording.channels.back().name, fields[1]);
  }
  if (unscaled)
    d.recording.cautions.push_back({"scale-unknown", Severity::warning, "",
                                    "what a count is worth can't be read for a channel: 1 is taken",
                                    "give it with --calibrate"});
  if (const std::string marks = said.at("common infos.markerfile"); !marks.empty())
    d.recording.notes.emplace_back("markers", clean_text(marks, 60) + " (not read)");
  return open_described(std::move(d), settings);
}

}  // namespace vprism
