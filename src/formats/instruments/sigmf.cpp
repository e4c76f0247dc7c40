// sigmf.cpp: SigMF 1.x recordings: NAME.sigmf-meta (JSON) and NAME.sigmf-data (numbers).
//
// global: core:datatype ("cf32_le": complex or real, float, signed or unsigned, bits, byte order),
// core:sample_rate, core:num_channels (interleaved), core:dataset or core:metadata_only, core:offset;
// captures: core:sample_start, core:frequency (the carrier), core:datetime, core:header_bytes;
// annotations are kept as notes. Fixed-point samples are handed on as they are stored.
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/field_source.h"

namespace vprism {

namespace {

using Json = nlohmann::json;

[[noreturn]] void damaged_sigmf(const std::string& file, const std::string& what) {
  throw Error(Status::input, file + ": damaged SigMF metadata: " + what + "; write it again");
}

bool ends_with(const std::string& text, std::string_view tail) {
  return text.size() >= tail.size() && std::string_view(text).substr(text.size() - tail.size()) == tail;
}

std::string clean_text_at(const Json& object, const char* key) {
  const auto found = object.find(key);
  return found != object.end() && found->is_string() ? clean_text(found->get<std::string>()) : "";
}

double number_at(const Json& object, const char* key, double otherwise) {
  const auto found = object.find(key);
  return found != object.end() && found->is_number() ? found->get<double>() : otherwise;
}

struct DataType {
  const NumberType* type = nullptr;
  bool complex = false;
};

DataType parse_datatype(const std::string& file, const std::string& text) {
  // c|r, f|i|u, bits, and _le or _be for more than 8 bits.
  DataType out;
  if (text.size() >= 3 && (text[0] == 'c' || text[0] == 'r')) {
    out.complex = text[0] == 'c';
    const std::size_t mark = text.find('_');
    const std::string bits = text.substr(2, mark == std::string::npos ? mark : mark - 2);
    const bool big = ends_with(text, "_be");
    for (const std::size_t size : {1u, 2u, 4u, 8u})
      if (bits == std::to_string(8 * size) && (size == 1 || mark != std::string::npos))
        out.type = find_number_type(text[1], size, big);
  }
  if (out.type == nullptr) damaged_sigmf(file, "core:datatype \"" + text + "\" is not known");
  return out;
}

/// Captures and annotations that lie beyond the data: the data file is cut, or another recording's.
void warn_of_places(const Json& meta, Recording& recording) {
  double furthest = 0;
  const char* what = "";
  for (const char* list : {"captures", "annotations"}) {
    const Json entries = meta.value(list, Json::array());
    if (!entries.is_array()) continue;
    for (const Json& entry : entries) {
      if (!entry.is_object()) continue;
      const double end = number_at(entry, "core:sample_start", 0) + number_at(entry, "core:sample_count", 1);
      if (end > furthest) furthest = end, what = list[0] == 'c' ? "a capture" : "an annotation";
    }
  }
  // Where the data are a later piece of a recording, numbers count from that one's first sample.
  furthest -= number_at(meta["global"], "core:offset", 0);
  if (furthest > static_cast<double>(recording.samples))
    recording.cautions.push_back(
        {"length-disagrees", Severity::serious, "",
         std::string(what) + " reaches to sample " + format_number(furthest, 15) + ", the data hold " +
             std::to_string(recording.samples),
         "the data file may be cut or belong to another recording: copy both again"});
}

}  // namespace

bool recognises_sigmf(const FileHead& head) {
  if (ends_with(head.path, ".sigmf-data"))
    return std::filesystem::exists(head.path.substr(0, head.path.size() - 4) + "meta");
  const std::size_t first = head.bytes.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
  return first != std::string::npos && head.bytes[first] == '{' &&
         head.bytes.find("\"core:datatype\"") != std::string::npos;
}

std::unique_ptr<SampleSource> open_sigmf(const FileHead& head, const ReadSettings& settings) {
  const bool data_named = ends_with(head.path, ".sigmf-data");
  const std::string meta_name = data_named ? head.path.substr(0, head.path.size() - 4) + "meta" : head.path;
  const InputFile meta_file(meta_name);
  if (meta_file.size() > (64u << 20)) damaged_sigmf(meta_name, "longer than 64 MB");
  const Json meta =
      Json::parse(meta_file.text(0, static_cast<std::size_t>(meta_file.size())), nullptr, false);
  if (meta.is_discarded() || !meta.is_object() || !meta.contains("global") || !meta["global"].is_object())
    damaged_sigmf(meta_name, "not a JSON object with \"global\"");
  const Json& global = meta["global"];
  std::string data_name = data_named ? head.path : "";
  const std::string dataset = clean_text_at(global, "core:dataset");
  if (data_name.empty() && !dataset.empty())
    data_name =
        (std::filesystem::path(meta_name).parent_path() / std::filesystem::path(dataset).filename()).string();
  if (data_name.empty() && ends_with(meta_name, "-meta"))
    data_name = meta_name.substr(0, meta_name.size() - 4) + "data";
  if (data_name.empty())
    data_name = std::filesystem::path(meta_name).replace_extension(".sigmf-data").string();
  if (!std::filesystem::exists(data_name))
    throw Error(Status::input,
                meta_name + ": its samples, " + clean_text(data_name) + ", are not there; copy both files");
  InputFile data(data_name);
  const DataType type = parse_datatype(meta_name, clean_text_at(global, "core:datatype"));
  const double rate = number_at(global, "core:sample_rate", 0);
  if (global.contains("core:sample_rate") && !(rate > 0 && std::isfinite(rate)))
    damaged_sigmf(meta_name, "core:sample_rate must be above zero");
  const double channels_given = number_at(global, "core:num_channels", 1);
  if (!(channels_given >= 1 && channels_given <= 4096) || channels_given != std::floor(channels_given))
    damaged_sigmf(meta_name, "core:num_channels must be 1 to 4096");
  const auto channels = static_cast<std::size_t>(channels_given);
  const Json captures = meta.value("captures", Json::array());
  double header = 0, carrier = 0;
  Recording recording;
  recording.file = head.path;
  recording.format = "SigMF, " + clean_text_at(global, "core:datatype");
  if (captures.is_array())
    for (const Json& capture : captures) {
      if (!capture.is_object()) damaged_sigmf(meta_name, "a capture that is no object");
      const double frequency = number_at(capture, "core:frequency", 0);
      const double bytes = number_at(capture, "core:header_bytes", 0);
      if (&capture == &captures.front()) {
        header = bytes;
        carrier = frequency;
        int y = 0, mo = 0, d = 0, h = 0, mi = 0;
        double s = 0;
        const std::string when = clean_text_at(capture, "core:datetime");
        if (std::sscanf(when.c_str(), "%4d-%2d-%2dT%2d:%2d:%lf", &y, &mo, &d, &h, &mi, &s) == 6 && s >= 0 &&
            s < 61) {
          recording.zero_ns = nanoseconds_since_1970(y, mo, d, h, mi, s);
          recording.notes.emplace_back("start", when);
        }
        continue;
      }
      if (bytes > 0)
        damaged_sigmf(meta_name, "a header between captures (core:header_bytes) can't be read here");
      if (frequency != carrier)
        recording.cautions.push_back({"carrier-changes", Severity::serious, "",
                                      "from sample " +
                                          format_number(number_at(capture, "core:sample_start", 0), 12) +
                                          " on the carrier is " + format_quantity(frequency, "Hz", 9) +
                                          ", before " + format_quantity(carrier, "Hz", 9),
                                      "analyse one capture at a time with --gate"});
    }
  if (!(header >= 0 && header < 1e15)) damaged_sigmf(meta_name, "core:header_bytes must not be negative");
  for (const char* key : {"core:description", "core:author", "core:hw", "core:recorder", "core:license"})
    if (const std::string text = clean_text_at(global, key); !text.empty())
      recording.notes.emplace_back(key + 5, text);
  if (const Json notes = meta.value("annotations", Json::array()); notes.is_array() && !notes.empty())
    recording.notes.emplace_back("annotations", std::to_string(notes.size()));
  const std::uint64_t size = type.type->size, parts = type.complex ? 2 : 1, frame = size * parts * channels;
  const auto skip = static_cast<std::uint64_t>(header);
  const std::uint64_t bytes = data.size() > skip ? data.size() - skip : 0;
  if (bytes / frame == 0) throw Error(Status::input, data_name + ": holds not one sample; write it again");
  if (bytes % frame != 0)
    recording.cautions.push_back({"partial-frame", Severity::warning, "",
                                  std::to_string(bytes % frame) +
                                      " bytes at the end do not fill a frame of " + std::to_string(frame) +
                                      " and are left out",
                                  "the data file may be cut: copy it again"});
  recording.samples = static_cast<std::int64_t>(bytes / frame);
  recording.complex = type.complex;
  warn_of_places(meta, recording);
  // Names and units of channels: SigMF itself has none; ours are written under a name of our own.
  const Json named = global.value("vprism:channels", Json::array());
  for (std::size_t c = 0; c < channels; ++c) {
    Channel channel;
    if (named.is_array() && c < named.size() && named[c].is_string())
      channel = channel_from_title(named[c].get<std::string>());
    else if (channels == 1)
      channel.name = "signal";
    channel.carrier_hz = carrier;
    recording.channels.push_back(std::move(channel));
  }
  if (carrier != 0) recording.notes.emplace_back("carrier", format_quantity(carrier, "Hz", 9));
  make_names_distinct(recording.channels);
  FieldLayout layout;
  for (std::uint64_t part = 0; part < parts; ++part)
    for (std::uint64_t c = 0; c < channels; ++c)
      layout.columns.push_back({type.type, skip + (c * parts + part) * size, frame});
  return std::make_unique<FieldSource>(std::move(data), std::move(recording), std::move(layout), settings,
                                       rate > 0 ? 1 / rate : 0, "metadata");
}

}  // namespace vprism
