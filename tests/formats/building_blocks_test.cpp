// What the readers are built from: numbers of every type, fields at regular places, lines, codings, dates.
#include <gmock/gmock.h>

#include <cmath>
#include <cstring>

#include "formats/arrays/number_type.h"
#include "formats/field_source.h"
#include "formats/files/input_file.h"
#include "formats/files/output_file.h"
#include "formats/reading.h"
#include "formats/text/clock/clock.h"
#include "formats/text/rows/text_stream.h"

namespace vprism::building_blocks_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

template <typename T>
std::string bytes_of(std::initializer_list<T> values, bool big = false) {
  std::string out;
  for (T value : values) {
    char raw[sizeof(T)];
    std::memcpy(raw, &value, sizeof(T));
    if (big) std::reverse(raw, raw + sizeof(T));
    out.append(raw, sizeof(T));
  }
  return out;
}

std::vector<double> decoded(const char* type, const std::string& bytes, std::size_t stride = 0) {
  const NumberType* t = find_number_type(type);
  if (stride == 0) stride = t->size;
  std::vector<double> out((bytes.size() + stride - t->size) / stride);
  t->decode(bytes.data(), stride, out.size(), out.data());
  return out;
}

TEST(NumberTypes, AreDecodedInBothByteOrders) {
  EXPECT_THAT(decoded("i16le", bytes_of<std::int16_t>({-2, 300})), ElementsAre(-2, 300));
  EXPECT_THAT(decoded("i16be", bytes_of<std::int16_t>({-2, 300}, true)), ElementsAre(-2, 300));
  EXPECT_THAT(decoded("u32be", bytes_of<std::uint32_t>({4000000000u}, true)), ElementsAre(4000000000.0));
  EXPECT_THAT(decoded("i64le", bytes_of<std::int64_t>({-(std::int64_t{1} << 53)})),
              ElementsAre(-9007199254740992.0));
  EXPECT_THAT(decoded("f32be", bytes_of<float>({0.1f}, true)), ElementsAre(static_cast<double>(0.1f)));
  EXPECT_THAT(decoded("f64le", bytes_of<double>({0.1, -1e300})), ElementsAre(0.1, -1e300));
  EXPECT_THAT(decoded("u8", std::string("\x00\xFF", 2)), ElementsAre(0, 255));
  EXPECT_THAT(decoded("i8", "\xFF"), ElementsAre(-1));
}

TEST(NumberTypes, HalfPrecisionFollowsTheStandard) {
  // IEEE 754-2008: 0x3C00 = 1, 0xC000 = -2, 0x7BFF = 65504, 0x0001 = 2^-24, 0x7C00 = infinity.
  const auto values = decoded("f16le", bytes_of<std::uint16_t>({0x3C00, 0xC000, 0x7BFF, 0x0001, 0x8000}));
  EXPECT_THAT(values, ElementsAre(1, -2, 65504, std::ldexp(1, -24), 0));
  EXPECT_TRUE(std::isinf(decoded("f16be", bytes_of<std::uint16_t>({0x7C00}, true))[0]));
  EXPECT_TRUE(std::isnan(decoded("f16le", bytes_of<std::uint16_t>({0x7E00}))[0]));
}

TEST(NumberTypes, AStrideSkipsWhatLiesBetween) {
  EXPECT_THAT(decoded("i16le", bytes_of<std::int16_t>({1, 9, 2, 9, 3}), 4), ElementsAre(1, 2, 3));
  EXPECT_EQ(find_number_type("f32"), nullptr);
  EXPECT_STREQ(find_number_type('i', 4, true)->name, "i32be");
  EXPECT_EQ(find_number_type('f', 3, false), nullptr);
}

class Fields : public ::testing::Test {
 protected:
  std::unique_ptr<FieldSource> source(const std::string& bytes, std::int64_t samples, FieldLayout layout) {
    Recording r;
    r.file = "fields";
    r.samples = samples;
    r.channels.resize(layout.columns.size());
    return std::make_unique<FieldSource>(InputFile(folder_.write("x.bin", bytes)), r, std::move(layout),
                                         ReadSettings{}, 0.5, "test");
  }
  ScratchFolder folder_;
};

TEST_F(Fields, LieInFramesOrOneBehindTheOther) {
  const std::string bytes = bytes_of<std::int16_t>({1, 10, 2, 20, 3, 30});
  FieldLayout frames;
  frames.columns = {{find_number_type("i16le"), 0, 4}, {find_number_type("i16le"), 2, 4}};
  EXPECT_THAT(read_source(*source(bytes, 3, frames)).columns,
              ElementsAre(ElementsAre(1, 2, 3), ElementsAre(10, 20, 30)));
  FieldLayout apart;
  apart.columns = {{find_number_type("i16le"), 0, 2}, {find_number_type("i16le"), 6, 2}};
  EXPECT_THAT(read_source(*source(bytes, 3, apart)).columns,
              ElementsAre(ElementsAre(1, 10, 2), ElementsAre(20, 3, 30)));
}

TEST_F(Fields, AreScaledMarkedMissingAndTakenBitByBit) {
  FieldLayout layout;
  Field scaled{find_number_type("i16le"), 0, 2, 0.5, 1.0};
  scaled.missing = -32768;
  Field bit{find_number_type("u16le"), 0, 2};
  bit.bit = 15;
  layout.columns = {scaled, bit};
  const WholeRecording r = read_source(*source(bytes_of<std::int16_t>({2, -32768, 4}), 3, layout));
  EXPECT_EQ(r.columns[0][0], 2);
  EXPECT_TRUE(std::isnan(r.columns[0][1]));
  EXPECT_EQ(r.columns[0][2], 3);
  EXPECT_THAT(r.columns[1], ElementsAre(0, 1, 0));
}

TEST_F(Fields, StampsMakeTheAxis) {
  FieldLayout layout;
  layout.columns = {{find_number_type("f64le"), 8, 16}};
  layout.stamps = Field{find_number_type("f64le"), 0, 16};
  const WholeRecording r = read_source(*source(bytes_of<double>({1, 10, 1.5, 20, 2, 30}), 3, layout));
  EXPECT_THAT(r.stamps, ElementsAre(1, 1.5, 2));
  EXPECT_DOUBLE_EQ(r.recording.axis.interval, 0.5);
  EXPECT_FALSE(r.recording.axis.stamped);
}

TEST_F(Fields, ThatReachBeyondTheFileAreRefusedBeforeReading) {
  const std::string bytes(64, '\0');
  const auto refused = [&](Field field, std::int64_t samples) {
    FieldLayout layout;
    layout.columns = {field};
    EXPECT_THROW(source(bytes, samples, layout), Error)
        << field.offset << " " << field.stride << " " << samples;
  };
  refused({find_number_type("f64le"), 0, 8}, 9);
  refused({find_number_type("f64le"), 60, 8}, 1);
  refused({find_number_type("u8"), 65, 1}, 1);
  refused({find_number_type("u8"), ~std::uint64_t{0}, 1}, 2);
  refused({find_number_type("u8"), 0, ~std::uint64_t{0} / 2}, 4);
  refused({find_number_type("u8"), 0, 0}, 2);
  refused({find_number_type("u8"), 0, 1}, 0);
}

TEST(Lines, EndInEitherWayAndMayLackTheLastEnd) {
  const ScratchFolder folder;
  const InputFile file(folder.write("x", "one\r\n\ntwo\nlast"));
  LineReader lines(file);
  std::string line;
  std::vector<std::string> all;
  std::vector<std::uint64_t> offsets;
  while (offsets.push_back(lines.offset()), lines.get(line)) all.push_back(line);
  EXPECT_THAT(all, ElementsAre("one", "", "two", "last"));
  EXPECT_THAT(offsets, ElementsAre(0, 5, 6, 10, 14));
}

TEST(Lines, WithoutEndAreRefusedNotGathered) {
  const ScratchFolder folder;
  const InputFile file(folder.write("x", std::string(3 << 20, 'x')));
  LineReader lines(file);
  std::string line;
  EXPECT_THROW(lines.get(line), Error);
}

TEST(InputFiles, TellWhatIsMissing) {
  const ScratchFolder folder;
  const InputFile file(folder.write("x", "12345"));
  char room[4];
  file.read(1, room);
  EXPECT_EQ(std::string(room, 4), "2345");
  try {
    file.read(3, room);
    FAIL();
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), HasSubstr("2 bytes missing at byte 5"));
  }
  EXPECT_EQ(file.text(4, 100), "5");
  EXPECT_EQ(file.text(9, 100), "");
  EXPECT_THROW(InputFile(folder.path("none")), Error);
}

TEST(Codings, AreToldByMarkOrByZeros) {
  EXPECT_EQ(coding_of("plain text"), TextCoding::utf8);
  EXPECT_EQ(coding_of("\xFF\xFEt"), TextCoding::utf16_little);
  EXPECT_EQ(coding_of("\xFE\xFFt"), TextCoding::utf16_big);
  EXPECT_EQ(coding_of(std::string("t\0i\0m\0e\0,\0v\0o\0l\0t\0\n\0", 20)), TextCoding::utf16_little);
  EXPECT_EQ(coding_of(std::string("\0t\0i\0m\0e\0,\0v\0o\0l\0t\0\n", 20)), TextCoding::utf16_big);
}

TEST(Codings, SurrogatesAndHalvesOfThem) {
  std::size_t used = 0;
  // U+03BC, U+1F600, "A".
  EXPECT_EQ(utf8_from_utf16(std::string("\xBC\x03\x3D\xD8\x00\xDE"
                                        "A\0",
                                        8),
                            false, used),
            "\xCE\xBC\xF0\x9F\x98\x80"
            "A");
  EXPECT_EQ(used, 8u);
  EXPECT_EQ(utf8_from_utf16("\x3D\xD8", false, used), "");  // The other half is still to come.
  EXPECT_EQ(used, 0u);
  EXPECT_EQ(utf8_from_utf16(std::string("\x3D\xD8"
                                        "A\0",
                                        4),
                            false, used),
            "\xEF\xBF\xBD"
            "A");
  EXPECT_EQ(utf8_from_utf16(std::string("\0A\0", 3), true, used), "A");
  EXPECT_EQ(used, 2u);
}

TEST(Codings, EightBitTextThatIsNoUtf8IsWindows1252) {
  EXPECT_EQ(utf8_from_any("\xB5V"), "\xC2\xB5V");
  EXPECT_EQ(utf8_from_any("\x80"), "\xE2\x82\xAC");
  EXPECT_EQ(utf8_from_any("\xC2\xB5V"), "\xC2\xB5V");
  // Codings as iconv's own tables have them: Japanese, Chinese, Russian, and Western words that look like
  // none.
  EXPECT_EQ(utf8_from_any("\x93\x64\x88\xB3 (V)"), "電圧 (V)");
  EXPECT_EQ(utf8_from_any("\x83\x60\x83\x83\x83\x93\x83\x6C\x83\x8B"), "チャンネル");
  EXPECT_EQ(utf8_from_any("\xB5\xE7\xD1\xB9 (V)"), "电压 (V)");
  EXPECT_EQ(utf8_from_any("\xC2\xF0\xE5\xEC\xFF (c)"), "Время (c)");
  EXPECT_EQ(utf8_from_any("Gr\xF6\xDF"
                          "e"),
            "Größe");
  EXPECT_EQ(utf8_from_any("L\xE4nge \x96 Ger\xE4t"), "Länge – Gerät");
  EXPECT_EQ(utf8_from_any("don\x92t, can\x92t"), "don’t, can’t");
  EXPECT_EQ(utf8_from_any("\xB0"
                          "C"),
            "°C");
  EXPECT_EQ(utf8_from_any("m/s\xB2"), "m/s²");
  const ScratchFolder folder;
  const WholeRecording r = read_file(folder.write("x.csv", "t (s),A (\xB5V)\n0,1\n1,2\n2,3\n"));
  EXPECT_TRUE(r.recording.channels[0].unit.converts_to(Unit::parse("V")))
      << r.recording.channels[0].unit.text();
}

TEST(Clocks, FormsOfDatesAndTimes) {
  // date -u -d '2026-11-03 21:14:05' +%s
  constexpr std::int64_t at = 1793740445000000000;
  for (const char* text :
       {"2026-11-03T21:14:05", "2026-11-03T21:14:05Z", "2026-11-03 21:14:05.000", "2026/11/03 21:14:05,000",
        "2026-11-03T22:14:05+01:00", "2026-11-03T16:44:05-0430", "\"2026-11-03 21:14:05\""})
    EXPECT_EQ(parse_date_time(text), at) << text;
  EXPECT_EQ(parse_date_time("2026-11-03T21:14:05.123456789"), at + 123456789);
  EXPECT_EQ(parse_date_time("1969-12-31T23:59:59"), -1000000000);
  EXPECT_EQ(parse_date_time("2000-02-29T00:00"), 951782400000000000);
  for (const char* text :
       {"2026-13-03T00:00:00", "2026-11-32T00:00:00", "2026-11-03", "21:14:05", "2026-11-03T25:00:00",
        "2026-11-03T21:14:05 local", "26-11-03T21:14:05", "", "2026-11/03T00:00:00"})
    EXPECT_EQ(parse_date_time(text), std::nullopt) << text;
  EXPECT_EQ(parse_time_of_day("00:01:02.5"), 62500000000);
  EXPECT_EQ(parse_date("2026/11/04"), parse_date("2026-11-04"));
}

TEST(OutputFiles, CanNotBeMadeInNoFolder) {
  EXPECT_THROW(OutputFile("/nowhere/at/all"), Error);
  const ScratchFolder folder;
  OutputFile file(folder.path("x"));
  file.write("abcdef");
  file.write_at(2, "XY");
  file.finish();
  EXPECT_EQ(ScratchFolder::read(folder.path("x")), "abXYef");
}

TEST(Parts, AreChosenByNameOrNumber) {
  const std::vector<Part> parts = {{"first", ""}, {"2", ""}, {"third", ""}};
  ReadSettings settings;
  EXPECT_EQ(choose_part("x", parts, settings, 1), 1u);
  settings.part = "third";
  EXPECT_EQ(choose_part("x", parts, settings, 1), 2u);
  settings.part = "1";
  EXPECT_EQ(choose_part("x", parts, settings, 1), 0u);
  settings.part = "9";
  EXPECT_THROW(choose_part("x", parts, settings, 1), Error);
}

TEST(Formats, AreRecognisedByContentUnderAnyName) {
  const ScratchFolder folder;
  const std::pair<const char*, const char*> files[] = {{"npy/two.npy", "NPY"},
                                                       {"npz/packed.npz", "NPZ"},
                                                       {"rawfile/two.raw", "rawfile"},
                                                       {"universal/text.uff", "universal"},
                                                       {"comtrade/binary.cff", "COMTRADE"},
                                                       {"hdf5/tables.h5", "HDF5"},
                                                       {"miniseed/two.mseed", "miniSEED"},
                                                       {"edf/two.edf", "EDF"},
                                                       {"sound/two.wav", "WAV"},
                                                       {"delimited/scope.csv", "delimited"}};
  for (const auto& [file, format] : files) {
    const std::string copy =
        folder.write("name.txt", ScratchFolder::read(std::string(VPRISM_SOURCE "/fuzz/corpus/") + file));
    EXPECT_THAT(read_file(copy).recording.format, HasSubstr(format)) << file;
  }
}

}  // namespace
}  // namespace vprism::building_blocks_test
