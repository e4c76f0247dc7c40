// miniseed3.h: records of miniSEED 3 (FDSN 2023), which no packaged library reads.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vprism {

struct MiniSeed3Record {
  std::string name;  ///< "NET.STA.LOC.CHA" of an FDSN source identifier, others as they stand.
  double rate_hz = 0;
  std::int64_t start_us = 0;  ///< Since 1970.
  std::int64_t samples = 0;
  int encoding = 0;
  std::size_t payload = 0, payload_bytes = 0;  ///< Its place in the record.
  std::size_t bytes = 0;                       ///< Of the whole record.
  std::uint32_t crc = 0;
};

/// Whether bytes begin as a record does.
bool begins_miniseed3(std::string_view bytes);
/// The header of the record that begins here; nothing where it makes no sense. 40 bytes and the identifier,
/// up to 295, are looked at.
std::optional<MiniSeed3Record> miniseed3_header(std::string_view bytes);
/// CRC-32C of a whole record with its own field taken as zero.
std::uint32_t miniseed3_checksum(std::string_view record);
/// The samples of a whole record: integers and floats as they are, Steim 1 and 2 (SEED 2.4, appendix B).
/// Nothing where they are text, opaque, or do not come out as many or as the record says.
std::optional<std::vector<double>> miniseed3_samples(std::string_view record, const MiniSeed3Record& header);

}  // namespace vprism
