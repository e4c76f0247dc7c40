// miniseed3.cpp: see miniseed3.h.
#include "formats/instruments/miniseed3.h"

#include <array>
#include <cmath>
#include <cstring>

#include "formats/format.h"

namespace vprism {

namespace {

constexpr std::size_t third_head_bytes = 40, third_crc_at = 28;

template <typename Number>
Number third_little(std::string_view bytes, std::size_t at) {
  Number out;
  std::memcpy(&out, bytes.data() + at, sizeof out);
  return out;
}

std::uint32_t third_big_word(std::string_view bytes, std::size_t at) {
  std::uint32_t out = 0;
  for (std::size_t i = 0; i < 4; ++i) out = out << 8 | static_cast<unsigned char>(bytes[at + i]);
  return out;
}

/// "FDSN:NET_STA_LOC_B_S_SS" as NET.STA.LOC.BSSS.
std::string third_name(std::string_view id) {
  if (id.substr(0, 5) != "FDSN:") return std::string(id);
  std::vector<std::string> parts(1);
  for (const char c : id.substr(5))
    if (c == '_')
      parts.emplace_back();
    else
      parts.back() += c;
  if (parts.size() != 6) return std::string(id.substr(5));
  return parts[0] + "." + parts[1] + "." + parts[2] + "." + parts[3] + parts[4] + parts[5];
}

/// The differences in one word, by its code in the frame's first word.
void take_differences(std::uint32_t word, unsigned code, bool second, std::vector<std::int32_t>& out) {
  const auto part = [&](unsigned count, unsigned bits) {
    for (unsigned i = count; i-- > 0;) {
      const std::uint32_t cut = word >> (i * bits) & (bits == 32 ? ~0u : (1u << bits) - 1);
      const std::uint32_t sign = bits == 32 ? 0 : 1u << (bits - 1);
      out.push_back(static_cast<std::int32_t>((cut ^ sign) - sign));
    }
  };
  if (code == 1) return part(4, 8);
  if (!second) return code == 2 ? part(2, 16) : code == 3 ? part(1, 32) : void();
  const unsigned kind = word >> 30;
  if (code == 2) return kind == 1 ? part(1, 30) : kind == 2 ? part(2, 15) : kind == 3 ? part(3, 10) : void();
  if (code == 3) return kind == 0 ? part(5, 6) : kind == 1 ? part(6, 5) : kind == 2 ? part(7, 4) : void();
}

std::optional<std::vector<double>> third_steim(std::string_view payload, std::size_t count, bool second) {
  constexpr std::size_t frame_bytes = 64;
  if (payload.size() < frame_bytes || payload.size() % frame_bytes != 0) return {};
  // No frame holds more than 15 words of 7.
  if (count > payload.size() / frame_bytes * 105) return {};
  std::vector<std::int32_t> differences;
  differences.reserve(count + 105);
  std::uint32_t first = 0, last = 0;
  for (std::size_t at = 0; at < payload.size() && differences.size() < count; at += frame_bytes) {
    const std::uint32_t codes = third_big_word(payload, at);
    for (std::size_t w = 1; w < 16; ++w) {
      const std::uint32_t word = third_big_word(payload, at + 4 * w);
      if (at == 0 && w == 1)
        first = word;
      else if (at == 0 && w == 2)
        last = word;
      else
        take_differences(word, codes >> (30 - 2 * w) & 3u, second, differences);
    }
  }
  if (differences.size() < count) return {};
  std::vector<double> out(count);
  std::uint32_t value = first;  // Sums run over, as the recorder's did.
  for (std::size_t n = 0; n < count; ++n) {
    if (n > 0) value += static_cast<std::uint32_t>(differences[n]);
    out[n] = static_cast<std::int32_t>(value);
  }
  if (value != last) return {};
  return out;
}

template <typename Number>
std::optional<std::vector<double>> third_plain(std::string_view payload, std::size_t count) {
  if (payload.size() / sizeof(Number) < count) return {};
  std::vector<double> out(count);
  for (std::size_t n = 0; n < count; ++n)
    out[n] = static_cast<double>(third_little<Number>(payload, n * sizeof(Number)));
  return out;
}

}  // namespace

bool begins_miniseed3(std::string_view bytes) {
  return bytes.size() >= third_head_bytes && bytes.substr(0, 2) == "MS" && bytes[2] == 3;
}

std::optional<MiniSeed3Record> miniseed3_header(std::string_view bytes) {
  if (!begins_miniseed3(bytes)) return {};
  MiniSeed3Record out;
  const auto nanoseconds = third_little<std::uint32_t>(bytes, 4);
  const auto year = third_little<std::uint16_t>(bytes, 8), day = third_little<std::uint16_t>(bytes, 10);
  const auto unsigned_at = [&](std::size_t at) { return static_cast<unsigned char>(bytes[at]); };
  if (nanoseconds > 999999999u || day < 1 || day > 366 || unsigned_at(12) > 23 || unsigned_at(13) > 59 ||
      unsigned_at(14) > 60)
    return {};
  constexpr std::int64_t day_us = 86400000000;
  out.start_us =
      nanoseconds_since_1970(year, 1, 1, unsigned_at(12), unsigned_at(13), unsigned_at(14)) / 1000 +
      (day - 1) * day_us + nanoseconds / 1000;
  out.encoding = unsigned_at(15);
  const auto rate = third_little<double>(bytes, 16);
  if (!std::isfinite(rate)) return {};
  out.rate_hz = rate >= 0 ? rate : -1 / rate;
  out.samples = third_little<std::uint32_t>(bytes, 24);
  out.crc = third_little<std::uint32_t>(bytes, third_crc_at);
  const std::size_t id = unsigned_at(33), extra = third_little<std::uint16_t>(bytes, 34);
  out.payload_bytes = third_little<std::uint32_t>(bytes, 36);
  if (bytes.size() < third_head_bytes + id) return {};
  out.name = third_name(bytes.substr(third_head_bytes, id));
  out.payload = third_head_bytes + id + extra;
  out.bytes = out.payload + out.payload_bytes;
  return out;
}

std::uint32_t miniseed3_checksum(std::string_view record) {
  // Castagnoli's polynomial, reflected.
  static const std::array<std::uint32_t, 256> table = [] {
    std::array<std::uint32_t, 256> made{};
    for (std::uint32_t i = 0; i < 256; ++i) {
      std::uint32_t v = i;
      for (int bit = 0; bit < 8; ++bit) v = v & 1u ? v >> 1 ^ 0x82f63b78u : v >> 1;
      made[i] = v;
    }
    return made;
  }();
  std::uint32_t crc = ~0u;
  for (std::size_t i = 0; i < record.size(); ++i) {
    const auto byte = i >= third_crc_at && i < third_crc_at + 4 ? 0u : static_cast<unsigned char>(record[i]);
    crc = crc >> 8 ^ table[(crc ^ byte) & 255u];
  }
  return ~crc;
}

std::optional<std::vector<double>> miniseed3_samples(std::string_view record, const MiniSeed3Record& header) {
  if (record.size() < header.bytes) return {};
  const std::string_view payload = record.substr(header.payload, header.payload_bytes);
  const auto count = static_cast<std::size_t>(header.samples);
  switch (header.encoding) {
    case 1:
      return third_plain<std::int16_t>(payload, count);
    case 3:
      return third_plain<std::int32_t>(payload, count);
    case 4:
      return third_plain<float>(payload, count);
    case 5:
      return third_plain<double>(payload, count);
    case 10:
      return third_steim(payload, count, false);
    case 11:
      return third_steim(payload, count, true);
    default:
      return {};
  }
}

}  // namespace vprism
