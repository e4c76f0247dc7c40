// described_binary.h: plain numbers in one file, and a header of text beside it that says what they are:
// NAME.hea with NAME.dat, NAME.vhdr with NAME.eeg, NAME.hdr with NAME.wvf. Of the files that a header names
// only one that lies beside it and has its own name, but for the ending, is opened.
#pragma once

#include "formats/field_source.h"

namespace vprism {

/// What a header says, in its own words read.
struct DescribedBinary {
  std::string data;  ///< The file of the numbers.
  Recording recording;
  FieldLayout layout;
  double interval_s = 0;
  std::int64_t promised = -1;  ///< Samples of each channel, as the header says; -1: it says nothing.
  std::uint64_t frame = 0;     ///< Bytes from one sample to the next.
};

/// The header of the file that was named, which may be the one with the numbers: of these endings; "" where
/// there is none beside it.
std::string header_beside(const FileHead& head, std::string_view header_ending,
                          std::initializer_list<std::string_view> data_endings);
/// The text of a header; throws Error(input) where it is too long for one.
std::string header_text(const std::string& path);
/// Of the file that was named itself, or of one beside it; "" where that can't be read. Never throws.
std::string header_text_seen(const FileHead& head, const std::string& path);
/// The file that a header names, beside it; throws Error(input) where it has another name or isn't there.
std::string data_beside(const std::string& header, std::string_view named);

/// Samples counted by the size of the file, cautions where it is another than promised. Throws Error(input)
/// where not one sample is there.
std::unique_ptr<SampleSource> open_described(DescribedBinary described, const ReadSettings& settings);

/// Records of physiological archives: the header's first line says "NAME SIGNALS RATE SAMPLES TIME DATE", a
/// line for each signal "FILE FORMAT GAIN(BASELINE)/UNIT BITS ZERO FIRST CHECKSUM BLOCK DESCRIPTION". Formats
/// 16, 32, 61, 80, 160 and 212 are read.
bool recognises_physiological_record(const FileHead& head);
std::unique_ptr<SampleSource> open_physiological_record(const FileHead& head, const ReadSettings& settings);

/// Sections "[Common Infos]", "[Binary Infos]" and "[Channel Infos]" of an electroencephalogram's header.
bool recognises_channel_header(const FileHead& head);
std::unique_ptr<SampleSource> open_channel_header(const FileHead& head, const ReadSettings& settings);

/// "$PublicInfo" and a "$Group1" with the traces of a recorder, one behind the other or by turns.
bool recognises_trace_header(const FileHead& head);
std::unique_ptr<SampleSource> open_trace_header(const FileHead& head, const ReadSettings& settings);

}  // namespace vprism
