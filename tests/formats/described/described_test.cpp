// Headers of text beside plain numbers: records of physiological archives, headers of channels and of traces.
// Expected values are computed here from the counts that were written.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"
#include "formats/text/clock/clock.h"

namespace vprism::described_test {
namespace {

using ::testing::DoubleEq;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::Pointwise;

std::string bytes16(const std::vector<int>& values, bool big = false) {
  std::string out;
  for (const int v : values) {
    const char low = static_cast<char>(v & 0xFF), high = static_cast<char>((v >> 8) & 0xFF);
    out += big ? std::string{high, low} : std::string{low, high};
  }
  return out;
}

/// Two numbers of twelve bits in three bytes, as format 212 has them.
std::string packed12(const std::vector<int>& values) {
  std::string out;
  for (std::size_t i = 0; i + 1 < values.size() + 1; i += 2) {
    const int a = values[i] & 0xFFF, b = (i + 1 < values.size() ? values[i + 1] : 0) & 0xFFF;
    out += static_cast<char>(a & 0xFF);
    out += static_cast<char>((a >> 8) | ((b >> 8) << 4));
    if (i + 1 < values.size()) out += static_cast<char>(b & 0xFF);
  }
  return out;
}

TEST(PhysiologicalRecord, GainBaselineAndUnitOfEachSignal) {
  const ScratchFolder folder;
  const std::string data = folder.write("r1.dat", bytes16({100, -7, 300, 0, -32768, 50}));
  const std::string head = folder.write("r1.hea",
                                        "r1 2 360 3 09:30:00 12/11/2026\n"
                                        "r1.dat 16 200(20)/mV 11 0 100 0 0 lead I\n"
                                        "r1.dat 16 10/mmHg 11 0 -7 0 0 pressure of the left arm\n"
                                        "# 40 F\n");
  for (const std::string& name : {head, data}) {
    const WholeRecording r = read_file(name);
    EXPECT_THAT(r.names(), ElementsAre("lead I", "pressure of the left arm"));
    EXPECT_EQ(r.recording.channels[0].unit.text(), "mV");
    EXPECT_EQ(r.recording.channels[1].unit.text(), "mmHg");
    EXPECT_DOUBLE_EQ(r.columns[0][0], (100 - 20) / 200.0);
    EXPECT_DOUBLE_EQ(r.columns[0][1], (300 - 20) / 200.0);
    EXPECT_TRUE(std::isnan(r.columns[0][2]));
    EXPECT_THAT(r.columns[1], ElementsAre(DoubleEq(-0.7), DoubleEq(0), DoubleEq(5)));
    EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 360);
    ASSERT_TRUE(r.recording.zero_ns);
    EXPECT_EQ(utc_text(*r.recording.zero_ns).substr(0, 19), "2026-11-12T09:30:00");
  }
}

TEST(PhysiologicalRecord, TwelveBitsInThreeBytes) {
  const ScratchFolder folder;
  std::vector<int> counts;
  for (int n = 0; n < 4001; ++n) counts.push_back(n % 4095 - 2047), counts.push_back(2047 - n % 4000);
  folder.write("r.dat", packed12(counts));
  const WholeRecording r = read_file(folder.write(
      "r.hea", "r 2 128 4001\nr.dat 212 100/mV 12 0 0 0 0 a\nr.dat 212 200(7)/mV 12 0 0 0 0 b\n"));
  ASSERT_EQ(r.columns[0].size(), 4001u);
  for (std::size_t n = 0; n < 4001; ++n) {
    ASSERT_DOUBLE_EQ(r.columns[0][n], counts[2 * n] / 100.0) << n;
    ASSERT_NEAR(r.columns[1][n], (counts[2 * n + 1] - 7) / 200.0, 1e-14) << n;
  }
}

TEST(PhysiologicalRecord, OtherCodingsAndWhatIsNotThere) {
  const ScratchFolder folder;
  const auto head = [&](const std::string& format, const std::string& gain) {
    return folder.write("q.hea", "q 1 100\nq.dat " + format + " " + gain + "\n");
  };
  folder.write("q.dat", bytes16({258, -3}, true));
  EXPECT_THAT(read_file(head("61", "1/V")).columns[0], ElementsAre(258, -3));
  folder.write("q.dat", std::string("\x80\x81\x7F"));
  EXPECT_THAT(read_file(head("80", "1/V")).columns[0], ElementsAre(0, 1, -1));
  folder.write("q.dat", bytes16({32768, 32769}));
  EXPECT_THAT(read_file(head("160", "1/V")).columns[0], ElementsAre(0, 1));
  // Bytes that are none of the record's.
  folder.write("q.dat", "xxxx" + bytes16({5, 6}));
  EXPECT_THAT(read_file(head("16+4", "1/V")).columns[0], ElementsAre(5, 6));
  // No gain: counts, without a unit.
  const WholeRecording counts = read_file(head("16+4", "0"));
  EXPECT_TRUE(counts.warns_of("scale-unknown"));
  EXPECT_EQ(counts.recording.channels[0].unit.text(), "1");
  EXPECT_THAT(error_of(head("310", "1/V")), HasSubstr("format 310"));
  EXPECT_THAT(error_of(head("16x4", "1/V")), HasSubstr("rate of its own"));
  EXPECT_THAT(error_of(folder.write("s.hea", "s 1 100\nother.dat 16 1/V\n")),
              HasSubstr("only a file of its own name"));
  EXPECT_THAT(error_of(folder.write("t.hea", "t 1 100\nt.dat 16 1/V\n")), HasSubstr("copy both files"));
  EXPECT_THAT(error_of(folder.write("u.hea", "u/3 1 100 3\nu_1 100\nu_2 100\n")),
              HasSubstr("several segments"));
}

TEST(PhysiologicalRecord, FewerSamplesThanPromised) {
  const ScratchFolder folder;
  for (const char* format : {"16", "212"}) {
    folder.write("p.dat", std::string(12, '\1'));
    const WholeRecording r =
        read_file(folder.write("p.hea", std::string("p 1 100 1000\np.dat ") + format + " 1/V\n"));
    EXPECT_TRUE(r.warns_of("length-disagrees")) << format;
    EXPECT_EQ(r.columns[0].size(), format == std::string("16") ? 6u : 8u);
  }
}

std::string channel_header(const std::string& orientation, const std::string& binary,
                           const std::string& more = "") {
  return "Data Exchange Header File Version 1.0\n; a remark\n\n[Common Infos]\nDataFile=e.eeg\n"
         "MarkerFile=e.vmrk\nDataFormat=BINARY\nDataOrientation=" +
         orientation + "\nNumberOfChannels=2\nSamplingInterval=2000\n" + more +
         "\n[Binary Infos]\nBinaryFormat=" + binary +
         "\n\n[Channel Infos]\nCh1=Fp1\\1a,Cz,0.5,\xC2\xB5V\nCh2=Resp,,2,mV\n\n[Comment]\nDataFile=no.eeg\n";
}

TEST(ChannelHeader, ByTurnsAndOneBehindTheOther) {
  const ScratchFolder folder;
  const auto check = [&](const WholeRecording& r) {
    EXPECT_THAT(r.names(), ElementsAre("Fp1,a", "Resp"));
    EXPECT_EQ(r.recording.channels[1].unit.text(), "mV");
    EXPECT_THAT(r.columns[0], ElementsAre(0.5, 1, 1.5));
    EXPECT_THAT(r.columns[1], ElementsAre(-2, -4, -6));
    EXPECT_NEAR(r.recording.axis.rate_hz(), 500, 1e-9);
  };
  const std::string data = folder.write("e.eeg", bytes16({1, -1, 2, -2, 3, -3}));
  const std::string head = folder.write("e.vhdr", channel_header("MULTIPLEXED", "INT_16"));
  check(read_file(head));
  check(read_file(data));
  folder.write("e.eeg", bytes16({1, 2, 3, -1, -2, -3}));
  check(read_file(folder.write("e.vhdr", channel_header("VECTORIZED", "INT_16"))));
  folder.write("e.eeg", bytes16({1, 2, 3, -1, -2, -3}));
  check(read_file(folder.write("e.vhdr", channel_header("VECTORIZED", "INT_16", "DataPoints=3\n"))));
}

TEST(ChannelHeader, SaysWhatCantBeRead) {
  const ScratchFolder folder;
  folder.write("e.eeg", bytes16({1, -1}));
  EXPECT_THAT(error_of(folder.write("e.vhdr", channel_header("MULTIPLEXED", "INT_24"))), HasSubstr("int_24"));
  std::string text = channel_header("MULTIPLEXED", "INT_16");
  text.replace(text.find("NumberOfChannels=2"), 18, "NumberOfChannels=0");
  EXPECT_THAT(error_of(folder.write("e.vhdr", text)), HasSubstr("NumberOfChannels"));
  text = channel_header("MULTIPLEXED", "INT_16");
  text.replace(text.find("=BINARY"), 7, "=ASCII");
  EXPECT_THAT(error_of(folder.write("e.vhdr", text)), HasSubstr("numbers are text"));
}

std::string trace_header(const std::string& sizes, const std::string& types = "IS2\tIS2") {
  return "//FILE FORMAT\n\n$PublicInfo\nModel\tX1\nEndian\tBig\nDataFormat\tTrace\nGroupNumber\t1\n"
         "DataOffset\t2\n\n$Group1\nTraceNumber\t2\nBlockNumber\t1\nTraceName\tCH1\tCH2\nBlockSize\t" +
         sizes + "\nVResolution\t2.0e-3\t1e-2\nVOffset\t0.0\t1.0\nVDataType\t" + types +
         "\nVUnit\tV\tA\nHResolution\t1e-5\t1e-5\nHOffset\t-1e-3\t-1e-3\nHUnit\ts\ts\n"
         "Date\t2026/11/03\t2026/11/03\nTime\t10:00:00.00\t10:00:00.00\n";
}

TEST(TraceHeader, ScalesOffsetsAndStart) {
  const ScratchFolder folder;
  const std::string data = folder.write("t.wvf", "xx" + bytes16({1, 2, 3, -100, 0, 100}, true));
  const std::string head = folder.write("t.hdr", trace_header("3\t3"));
  for (const std::string& name : {head, data}) {
    const WholeRecording r = read_file(name);
    EXPECT_THAT(r.names(), ElementsAre("CH1", "CH2"));
    EXPECT_THAT(r.columns[0], ElementsAre(DoubleEq(0.002), DoubleEq(0.004), DoubleEq(0.006)));
    EXPECT_THAT(r.columns[1], ElementsAre(DoubleEq(0), DoubleEq(1), DoubleEq(2)));
    EXPECT_NEAR(r.recording.axis.rate_hz(), 1e5, 1e-6);
    EXPECT_DOUBLE_EQ(r.recording.axis.start, -1e-3);
    ASSERT_TRUE(r.recording.zero_ns);
  }
  // A trace of another length is left out, and said to be.
  folder.write("t.wvf", "xx" + bytes16({1, 2, 3, 4, 5, 6}, true));
  const WholeRecording other = read_file(folder.write("t.hdr", trace_header("4\t2")));
  EXPECT_THAT(other.names(), ElementsAre("CH1"));
  EXPECT_TRUE(other.warns_of("columns-left-out"));
  EXPECT_THAT(error_of(folder.write("t.hdr", trace_header("3\t3", "ZZ2\tIS2"))), HasSubstr("ZZ2"));
}

// Cut anywhere, a header is read, refused in one line, or is another kind of file: nothing else.
TEST(DescribedBinary, HeadersCutAnywhere) {
  const ScratchFolder folder;
  folder.write("e.eeg", bytes16({1, -1, 2, -2}));
  folder.write("r.dat", bytes16({1, -1, 2, -2}));
  folder.write("t.wvf", bytes16({1, -1, 2, -2}));
  const std::pair<std::string, std::string> heads[] = {
      {"e.vhdr", channel_header("MULTIPLEXED", "INT_16")},
      {"r.hea", "r 2 360 2 09:30:00 12/11/2026\nr.dat 16 200(20)/mV 11 0 1 0 0 a\nr.dat 16 1 11 0 1 0 0 b\n"},
      {"t.hdr", trace_header("1\t1")}};
  for (const auto& [name, text] : heads)
    for (std::size_t size = 1; size < text.size(); ++size) {
      const std::string path = folder.write(name, text.substr(0, size));
      const std::string said = error_of(path);
      EXPECT_EQ(said.find('\n'), std::string::npos) << name << " cut at " << size << ": " << said;
    }
}

}  // namespace
}  // namespace vprism::described_test
