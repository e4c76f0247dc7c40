// flat_binary.cpp: plain numbers, as `--binary TYPE[:Nch][:sequential][:skip=N]` says.
//
// TYPE is u8, i8, or one of u16 i16 u32 i32 f32 f64 with "le" or "be". Interleaved: frame after frame, a
// frame holding one number per channel. Sequential: all numbers of the first channel, then all of the second,
// ... `skip` bytes at the head are left out. The unit is that of the stored numbers: integers are handed on
// as they are, not scaled to full scale.
#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <bit>
#include <cstring>

#include "base/error.h"
#include "base/quantity.h"
#include "base/text.h"
#include "formats/format.h"

namespace vprism {

namespace {

using Decode = void (*)(const unsigned char* from, std::size_t stride, std::size_t count, double* to);

template <typename T, bool big>
void decode(const unsigned char* from, std::size_t stride, std::size_t count, double* to) {
  constexpr bool swap = big == (std::endian::native == std::endian::little);
  for (std::size_t n = 0; n < count; ++n, from += stride) {
    unsigned char bytes[sizeof(T)];
    std::memcpy(bytes, from, sizeof(T));
    if constexpr (swap && sizeof(T) > 1) std::reverse(bytes, bytes + sizeof(T));
    T value;
    std::memcpy(&value, bytes, sizeof(T));
    to[n] = static_cast<double>(value);
  }
}

struct NumberType {
  const char* name;
  std::size_t size;
  Decode decode;
};

const std::vector<NumberType>& number_types() {
  static const std::vector<NumberType> table = {
      {"u8", 1, decode<std::uint8_t, false>},     {"i8", 1, decode<std::int8_t, false>},
      {"u16le", 2, decode<std::uint16_t, false>}, {"u16be", 2, decode<std::uint16_t, true>},
      {"i16le", 2, decode<std::int16_t, false>},  {"i16be", 2, decode<std::int16_t, true>},
      {"u32le", 4, decode<std::uint32_t, false>}, {"u32be", 4, decode<std::uint32_t, true>},
      {"i32le", 4, decode<std::int32_t, false>},  {"i32be", 4, decode<std::int32_t, true>},
      {"f32le", 4, decode<float, false>},         {"f32be", 4, decode<float, true>},
      {"f64le", 8, decode<double, false>},        {"f64be", 8, decode<double, true>}};
  return table;
}

struct Layout {
  NumberType type{};
  std::size_t channels = 1;
  bool sequential = false;
  std::uint64_t skip = 0;
};

Layout parse_layout(const std::string& text) {
  const std::vector<std::string> parts = split(text, ':');
  Layout layout;
  std::vector<std::string> names;
  for (const NumberType& type : number_types()) {
    names.emplace_back(type.name);
    if (parts[0] == type.name) layout.type = type;
  }
  if (layout.type.decode == nullptr) throw Error(Status::usage, unknown_name("number type", parts[0], names));
  for (std::size_t i = 1; i < parts.size(); ++i) {
    const std::string& part = parts[i];
    if (part == "sequential") {
      layout.sequential = true;
    } else if (starts_with(part, "skip=")) {
      layout.skip = static_cast<std::uint64_t>(parse_whole_number(part.substr(5), 0));
    } else if (part.size() > 2 && part.substr(part.size() - 2) == "ch") {
      const long long count = parse_whole_number(part.substr(0, part.size() - 2), 1);
      if (count > 4096) throw Error(Status::usage, "\"" + part + "\": at most 4096 channels");
      layout.channels = static_cast<std::size_t>(count);
    } else {
      throw Error(Status::usage, "\"" + clean_text(part) + "\" in \"" + clean_text(text) +
                                     "\"; write for example f32le:2ch, i16be:4ch:sequential, f64le:skip=512");
    }
  }
  return layout;
}

class FlatBinary : public SampleSource {
 public:
  FlatBinary(const FileHead& head, const ReadSettings& settings) : layout_(parse_layout(settings.binary)) {
    file_ = ::open(head.path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file_ < 0) throw Error(Status::input, head.path + ": can't be opened: " + std::strerror(errno));
    ::posix_fadvise(file_, 0, 0, POSIX_FADV_SEQUENTIAL);
    recording_.file = head.path;
    recording_.format = "flat binary, " + settings.binary;
    for (std::size_t c = 0; c < layout_.channels; ++c)
      recording_.channels.push_back({"channel " + std::to_string(c + 1), {}, ""});
    const std::uint64_t frame = layout_.type.size * layout_.channels;
    const std::uint64_t bytes = head.size > layout_.skip ? head.size - layout_.skip : 0;
    recording_.samples = static_cast<std::int64_t>(bytes / frame);
    if (recording_.samples == 0)
      throw Error(Status::input, head.path + ": " + std::to_string(bytes) + " bytes hold not one sample of " +
                                     settings.binary);
    if (bytes % frame != 0)
      recording_.cautions.push_back({"partial-frame", Severity::warning, "",
                                     std::to_string(bytes % frame) +
                                         " bytes at the end do not fill a frame of " + std::to_string(frame) +
                                         " and are left out",
                                     "check --binary: type, number of channels, skip"});
    settle_interval(recording_, settings, 0, "");
  }
  ~FlatBinary() override { ::close(file_); }
  FlatBinary(const FlatBinary&) = delete;
  FlatBinary& operator=(const FlatBinary&) = delete;

  const Recording& recording() const override { return recording_; }
  void rewind() override { at_ = 0; }

  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    const std::size_t size = layout_.type.size, channels = layout_.channels;
    const auto first = static_cast<std::uint64_t>(at_);
    if (layout_.sequential) {
      for (std::size_t c = 0; c < channels; ++c) {
        fetch(layout_.skip + (c * static_cast<std::uint64_t>(recording_.samples) + first) * size,
              count * size);
        layout_.type.decode(buffer_.data(), size, count, block.room(c).data());
      }
    } else {
      fetch(layout_.skip + first * size * channels, count * size * channels);
      for (std::size_t c = 0; c < channels; ++c)
        layout_.type.decode(buffer_.data() + c * size, size * channels, count, block.room(c).data());
    }
    block.set(at_, count);
    at_ += static_cast<std::int64_t>(count);
    return count;
  }

 private:
  void fetch(std::uint64_t from, std::size_t bytes) {
    if (buffer_.size() < bytes) buffer_.resize(bytes);
    for (std::size_t got = 0; got < bytes;) {
      const ssize_t n = ::pread(file_, buffer_.data() + got, bytes - got, static_cast<off_t>(from + got));
      if (n <= 0)
        throw Error(Status::input, recording_.file + ": can't be read at byte " + std::to_string(from + got) +
                                       (n < 0 ? std::string(": ") + std::strerror(errno)
                                              : "; it became shorter while it was read"));
      got += static_cast<std::size_t>(n);
    }
  }

  Layout layout_;
  int file_ = -1;
  Recording recording_;
  std::int64_t at_ = 0;
  std::vector<unsigned char> buffer_;
};

}  // namespace

std::unique_ptr<SampleSource> open_flat_binary(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<FlatBinary>(head, settings);
}

void check_binary_layout(const std::string& layout) { parse_layout(layout); }

}  // namespace vprism
