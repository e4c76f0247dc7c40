// flat_binary.cpp: plain numbers, as `--binary TYPE[:Nch][:sequential][:skip=N]` says.
//
// TYPE is u8, i8, or one of u16 i16 u32 i32 u64 i64 f16 f32 f64 with "le" or "be". Interleaved: frame after
// frame, a frame holding one number per channel. Sequential: all numbers of the first channel, then all of
// the second,
// ... `skip` bytes at the head are left out. The unit is that of the stored numbers: integers are handed on
// as they are, not scaled to full scale.
#include "formats/arrays/flat_binary.h"

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "formats/field_source.h"

namespace vprism {

BinaryLayout parse_binary_layout(const std::string& text) {
  const std::vector<std::string> parts = split(text, ':');
  BinaryLayout layout;
  layout.type = find_number_type(parts[0]);
  if (layout.type == nullptr) {
    std::vector<std::string> names;
    for (const NumberType& type : number_types()) names.emplace_back(type.name);
    throw Error(Status::usage, unknown_name("number type", parts[0], names));
  }
  for (std::size_t i = 1; i < parts.size(); ++i) {
    const std::string& part = parts[i];
    if (part == "sequential") {
      layout.sequential = true;
    } else if (starts_with(part, "skip=")) {
      layout.skip = static_cast<std::uint64_t>(parse_whole_number(part.substr(5), 0));
    } else if (part.size() > 2 && part.substr(part.size() - 2) == "ch") {
      const long long count = parse_whole_number(part.substr(0, part.size() - 2), 1);
      if (count > static_cast<long long>(most_channels))
        throw Error(Status::usage,
                    "\"" + part + "\": at most " + std::to_string(most_channels) + " channels");
      layout.channels = static_cast<std::size_t>(count);
    } else {
      throw Error(Status::usage, "\"" + clean_text(part) + "\" in \"" + clean_text(text) +
                                     "\"; write for example f32le:2ch, i16be:4ch:sequential, f64le:skip=512");
    }
  }
  return layout;
}

std::unique_ptr<SampleSource> open_flat_binary(const FileHead& head, const ReadSettings& settings) {
  const BinaryLayout layout = parse_binary_layout(settings.binary);
  Recording recording;
  recording.file = head.path;
  recording.format = "flat binary, " + settings.binary;
  for (std::size_t c = 0; c < layout.channels; ++c)
    recording.channels.push_back({"channel " + std::to_string(c + 1), {}, ""});
  const std::uint64_t size = layout.type->size, frame = size * layout.channels;
  const std::uint64_t bytes = head.size > layout.skip ? head.size - layout.skip : 0;
  const std::uint64_t samples = bytes / frame;
  recording.samples = static_cast<std::int64_t>(samples);
  if (samples == 0)
    throw Error(Status::input, head.path + ": " + std::to_string(bytes) + " bytes hold not one sample of " +
                                   settings.binary);
  if (bytes % frame != 0)
    recording.cautions.push_back({"partial-frame", Severity::warning, "",
                                  std::to_string(bytes % frame) +
                                      " bytes at the end do not fill a frame of " + std::to_string(frame) +
                                      " and are left out",
                                  "check --binary: type, number of channels, skip"});
  FieldLayout fields;
  for (std::size_t c = 0; c < layout.channels; ++c)
    fields.columns.push_back(layout.sequential ? Field{layout.type, layout.skip + c * samples * size, size}
                                               : Field{layout.type, layout.skip + c * size, frame});
  InputFile file(head.path);
  if (!layout.sequential || layout.channels == 1) file.pass_on_to(settings.digest);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(fields), settings, 0,
                                       "");
}

void check_binary_layout(const std::string& layout) { parse_binary_layout(layout); }

}  // namespace vprism
