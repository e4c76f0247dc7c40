// npy.cpp: NPY arrays. Archives of them are opened in containers/packages/npz.cpp.
//
//     "\x93NUMPY" major minor  length of the header (2 bytes, 4 from version 2 on, little endian)
//     {'descr': '<f8', 'fortran_order': False, 'shape': (1000, 2), }   padded with blanks
//     the numbers
//
// `descr` is byte order (< > = |), kind (i u f c b) and size, or a list of named fields of these. One
// dimension is one channel; of more, array_shape.h settles along which the samples run. A field named t or
// time is the time in seconds.
#include "formats/arrays/npy.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <functional>
#include <limits>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/array_shape.h"
#include "formats/arrays/npy_header.h"
#include "formats/documents/key_meaning.h"
#include "formats/field_source.h"
#include "formats/text/clock/clock.h"
#include "formats/text/rows/text_stream.h"
#include "signal/stamps.h"

namespace vprism {

namespace {

/// Numbers as the decoder knows them: booleans are small, dates are whole.
char decoded_kind(const NpyElement& e) { return e.kind == 'b' ? 'u' : e.unit_s > 0 ? 'i' : e.kind; }

/// Times from the first row on; of dates, and counts since 1970, the instant of that is time 0.
void take_stamps(FieldLayout& layout, Recording& recording, const InputFile& file, const NpyElement& given,
                 std::uint64_t offset, std::uint64_t stride) {
  Field field{find_number_type(decoded_kind(given), given.size, given.big), offset, stride};
  const auto value_at = [&](std::int64_t row) {
    double value = 0;
    const std::string bytes = file.text(offset + static_cast<std::uint64_t>(row) * stride, given.size);
    if (bytes.size() != given.size) return value;
    if (field.base)
      field.type->distances(bytes.data(), given.size, 1, *field.base, &value);
    else
      field.type->decode(bytes.data(), given.size, 1, &value);
    return value;
  };
  const double first = value_at(0), last = value_at(recording.samples - 1);
  double unit_s = given.unit_s;
  bool dated = given.kind == 'M';
  if (const auto since =
          unit_s == 0 && recording.samples > 1 ? unit_since_1970(first, value_at(1) - first) : std::nullopt) {
    unit_s = static_cast<double>(*since) / 1e9, dated = true;
    recording.cautions.push_back(clock_counted_caution(given.name, format_quantity(unit_s, "s", 1)));
  }
  if (const std::string unit = time_unit_of_key(given.name); unit_s == 0 && !unit.empty())
    unit_s = Unit::parse(unit).convert(1, Unit::parse("s"));
  const double digits = given.kind == 'f' && given.size == 4 ? std::numeric_limits<float>::epsilon()
                                                             : std::numeric_limits<double>::epsilon();
  layout.stamp_resolution = digits * std::max(std::abs(first), std::abs(last)) * (unit_s > 0 ? unit_s : 1);
  if (unit_s > 0) {
    layout.stamp_unit = unit_s;
    const auto unit_ns = static_cast<std::int64_t>(std::llround(unit_s * 1e9));
    if (field.type->distances != nullptr) {
      // The first whole, and all others from it.
      std::int64_t count = 0;
      std::string bytes = file.text(offset, given.size);
      if (given.big) std::reverse(bytes.begin(), bytes.end());
      if (bytes.size() == sizeof count) std::memcpy(&count, bytes.data(), sizeof count);
      field.base = count, layout.stamp_resolution = unit_s;
      if (dated) recording.zero_ns = instant_of_count(count, unit_ns);
    } else {
      layout.stamp_first = first;
      if (dated) recording.zero_ns = instant_after(0, first * unit_s);
    }
  }
  layout.stamps = field;
}

void add_columns(FieldLayout& layout, std::vector<Field>& imaginary, const NpyElement& e,
                 std::uint64_t offset, std::uint64_t stride) {
  const bool complex = e.kind == 'c';
  const std::size_t size = complex ? e.size / 2 : e.size;
  const NumberType* type = find_number_type(complex ? 'f' : decoded_kind(e), size, e.big);
  layout.columns.push_back({type, offset, stride});
  if (complex) imaginary.push_back({type, offset + size, stride});
}

}  // namespace

std::unique_ptr<SampleSource> open_npy_array(InputFile file, Recording recording,
                                             const ReadSettings& settings, double interval_s,
                                             const std::string& interval_source) {
  const NpyHeader header = parse_npy_header(recording.file, file.text(0, FileHead::head_bytes));
  std::uint64_t item = 0;
  for (const NpyElement& e : header.elements) item += e.size;
  FieldLayout layout;
  std::vector<Field> imaginary;
  const bool table = header.elements.size() > 1;
  const ArrayShape shape =
      settle_shape(header.shape, header.fortran, settings, {}, "the array", recording.cautions);
  const std::uint64_t samples = shape.samples(), channels = shape.channels();
  if (table && channels > 1) refuse_npy_header(recording.file, "named fields in several dimensions");
  if (samples == 0 || channels == 0 || samples > (std::uint64_t{1} << 56))
    refuse_npy_header(recording.file, "no samples");
  if (channels > most_channels)
    throw Error(Status::input, recording.file + ": " + std::to_string(channels) + " channels; at most " +
                                   std::to_string(most_channels));
  recording.samples = static_cast<std::int64_t>(samples);
  recording.channels.clear();
  for (std::uint64_t c = 0; c < channels; ++c) {
    std::uint64_t offset = header.data + item * shape.first(c);
    for (const NpyElement& e : header.elements) {
      const bool timed = e.kind != 'c' && is_time_key(e.name);
      if (table && !layout.stamps && (e.unit_s > 0 || timed)) {
        take_stamps(layout, recording, file, e, offset, item);
        recording.axis.source = "field \"" + e.name + "\"";
      } else {
        add_columns(layout, imaginary, e, offset, item * shape.step());
        recording.channels.push_back(channel_from_title(e.name));
        if (shape.several()) recording.channels.back().name += " " + shape.place(c);
      }
      offset += e.size;
    }
  }
  if (const std::uint64_t end = header.data + item * samples * channels; file.size() > end)
    recording.cautions.push_back({"length-disagrees", Severity::warning, "",
                                  "the array's shape takes " + std::to_string(end) + " bytes, the file has " +
                                      std::to_string(file.size()) + ": room for " +
                                      std::to_string((file.size() - end) / (item * channels)) +
                                      " samples more, which are left out",
                                  "write it again, or read all of it with --binary"});
  if (layout.columns.empty()) refuse_npy_header(recording.file, "no channel beside the time");
  if (!imaginary.empty() && imaginary.size() != layout.columns.size())
    throw Error(Status::input, recording.file + ": real and complex fields in one array; write them apart");
  recording.complex = !imaginary.empty();
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  make_names_distinct(recording.channels);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout), settings,
                                       interval_s, interval_source);
}

NpyFacts npy_facts(const std::string& file, const std::string& bytes) {
  const NpyHeader header = parse_npy_header(file, bytes);
  NpyFacts out;
  out.shape = out.dimensions = header.shape;
  std::erase(out.shape, std::uint64_t{1});
  const NpyElement& e = header.elements.front();
  out.table = header.elements.size() > 1, out.complex = e.kind == 'c';
  if (out.shape.size() > 1 || out.table || out.complex || header.data + e.size > bytes.size()) return out;
  const std::uint64_t count =
      std::min<std::uint64_t>(out.shape.empty() ? 1 : out.shape[0], (bytes.size() - header.data) / e.size);
  std::vector<double> values(static_cast<std::size_t>(count));
  find_number_type(decoded_kind(e), e.size, e.big)
      ->decode(bytes.data() + header.data, e.size, values.size(), values.data());
  if (out.shape.empty()) out.number = values.front();
  out.rises =
      count > 1 && std::adjacent_find(values.begin(), values.end(), std::greater_equal<>()) == values.end();
  out.evenly = rises_evenly(values);
  return out;
}

std::vector<std::string> npy_texts(const std::string& file, const std::string& bytes) {
  const NpyHeader header = parse_npy_header(file, bytes, true);
  const NpyElement& e = header.elements.front();
  if (header.elements.size() != 1 || (e.kind != 'U' && e.kind != 'S') || header.shape.size() > 1) return {};
  const std::uint64_t count = header.shape.empty() ? 1 : header.shape[0];
  if (count > most_channels || header.data + count * e.size > bytes.size()) return {};
  std::vector<std::string> out;
  for (std::uint64_t k = 0; k < count; ++k) {
    const std::string_view cell =
        std::string_view(bytes).substr(static_cast<std::size_t>(header.data + k * e.size), e.size);
    std::string text;
    if (e.kind == 'S') {
      text = utf8_from_any(cell.substr(0, cell.find('\0')));
    } else {
      // UTF-32 as UTF-16 where it fits: characters beyond are none in names of channels.
      std::string units;
      for (std::size_t i = 0; i + 3 < cell.size(); i += 4) {
        const char high = cell[i + (e.big ? 2 : 1)], low = cell[i + (e.big ? 3 : 0)];
        if (high == '\0' && low == '\0') break;
        (units += low) += high;
      }
      std::size_t used = 0;
      text = utf8_from_utf16(units, false, used);
    }
    out.push_back(clean_text(text, 80));
  }
  return out;
}

std::unique_ptr<SampleSource> open_npy_together(InputFile file, const std::vector<NpyPlace>& places,
                                                const std::string& stamps, Recording recording,
                                                const ReadSettings& settings, double interval_s,
                                                const std::string& interval_source, bool frequencies) {
  FieldLayout layout;
  std::vector<Field> imaginary;
  recording.channels.clear();
  std::uint64_t samples = 0;
  std::optional<std::uint64_t> axis;  // As long as the times are.
  for (const NpyPlace& place : places)
    if (place.name == stamps) {
      const auto times = parse_npy_header(recording.file, file.text(place.at, FileHead::head_bytes)).shape;
      if (!times.empty()) axis = *std::max_element(times.begin(), times.end());
    }
  for (const NpyPlace& place : places) {
    const NpyHeader header = parse_npy_header(recording.file, file.text(place.at, FileHead::head_bytes));
    const NpyElement& e = header.elements.front();
    const ArrayShape shape = settle_shape(header.shape, header.fortran, settings, axis,
                                          "\"" + clean_text(place.name) + "\"", recording.cautions);
    const std::uint64_t rows = shape.samples(), columns = shape.channels();
    if (samples == 0) samples = rows;
    if (rows != samples || header.elements.size() > 1)
      refuse_npy_header(recording.file,
                        "\"" + clean_text(place.name) + "\" has other rows than the arrays beside it");
    if (columns > most_channels)
      throw Error(Status::input, recording.file + ": " + std::to_string(columns) + " channels; at most " +
                                     std::to_string(most_channels));
    const std::uint64_t base = place.at + header.data;
    if (base + rows * columns * e.size > file.size())
      refuse_npy_header(recording.file, "\"" + clean_text(place.name) + "\" is longer than what is there");
    recording.samples = static_cast<std::int64_t>(samples);
    if (place.name == stamps) {
      NpyElement named = e;
      if (!frequencies) named.name = place.name;
      take_stamps(layout, recording, file, named, base, e.size);
      recording.axis.source = "array \"" + clean_text(place.name) + "\"";
      if (frequencies)
        recording.axis.domain = Axis::Domain::frequency, recording.axis.name = clean_text(place.name),
        recording.axis.unit = Unit::parse("Hz");
      continue;
    }
    for (std::uint64_t k = 0; k < columns; ++k) {
      add_columns(layout, imaginary, e, base + e.size * shape.first(k), e.size * shape.step());
      const bool titled = columns > 1 && place.titles.size() == columns;
      Channel channel = channel_from_title(titled ? place.titles[k] : place.name);
      if (columns > 1 && !titled) channel.name += " " + shape.place(k);
      recording.channels.push_back(std::move(channel));
    }
  }
  if (recording.channels.empty() || recording.channels.size() > most_channels)
    throw Error(Status::input, recording.file + ": " + std::to_string(recording.channels.size()) +
                                   " channels; one at least, and at most " + std::to_string(most_channels));
  recording.samples = static_cast<std::int64_t>(samples);
  recording.complex = !imaginary.empty();
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  make_names_distinct(recording.channels);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout), settings,
                                       interval_s, interval_source);
}

std::string npy_shape(const std::string& file, const std::string& bytes) {
  const std::string out = shape_text(parse_npy_header(file, bytes).shape);
  return out.empty() ? "a single number" : out + " numbers";
}

bool recognises_npy(const FileHead& head) { return starts_with(head.bytes, npy_magic); }

std::unique_ptr<SampleSource> open_npy(const FileHead& head, const ReadSettings& settings) {
  Recording recording;
  recording.file = head.path;
  recording.format = "NPY array";
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  return open_npy_array(std::move(file), std::move(recording), settings);
}

}  // namespace vprism
