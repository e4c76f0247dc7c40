// whole_clocks_test.cpp: counts of nanoseconds since 1970 have more digits than a double: a step of a
// microsecond must not become one of 768 or 1,024 ns. And times in single precision have fewer.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <hdf5.h>

#include <cmath>

#include "formats/arrays/number_type.h"
#include "formats/reading.h"

namespace vprism::whole_clocks_test {
namespace {

using ::testing::ElementsAre;

constexpr std::int64_t began = 1711360800000000123;
constexpr std::size_t rows = 2000;

template <typename Number>
std::string bytes_of(const std::vector<Number>& numbers) {
  return std::string(reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(Number));
}

std::string npy(const std::string& type, std::size_t count, const std::string& bytes) {
  std::string header =
      "{'descr': " + type + ", 'fortran_order': False, 'shape': (" + std::to_string(count) + ",), }";
  header.append(63 - (header.size() + 10) % 64, ' ');
  header += '\n';
  std::string out("\x93NUMPY\x01\x00", 8);
  out += static_cast<char>(header.size() & 255), out += static_cast<char>(header.size() >> 8);
  return out + header + bytes;
}

std::vector<std::int64_t> microseconds() {
  std::vector<std::int64_t> out;
  for (std::size_t n = 0; n < rows; ++n) out.push_back(began + 1000 * static_cast<std::int64_t>(n));
  return out;
}

void expect_a_megahertz(const WholeRecording& r) {
  EXPECT_FALSE(r.recording.axis.stamped);
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 1e6);
  EXPECT_EQ(r.recording.axis.start, 0);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_EQ(*r.recording.zero_ns, began);
  EXPECT_THAT(r.names(), ElementsAre("x"));
}

class WholeClocks : public ::testing::Test {
 protected:
  void put(const char* name, hid_t stored, hid_t memory, const void* numbers) {
    const hsize_t size = rows;
    const hid_t space = H5Screate_simple(1, &size, nullptr);
    const hid_t set = H5Dcreate2(file_, name, stored, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
    H5Dwrite(set, memory, H5S_ALL, H5S_ALL, H5P_DEFAULT, numbers);
    H5Dclose(set), H5Sclose(space);
  }
  WholeRecording read() {
    H5Fclose(file_);
    return read_file(folder_.path("a.h5"));
  }
  ScratchFolder folder_;
  hid_t file_ = H5Fcreate(folder_.path("a.h5").c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT);
  std::vector<double> x_ = std::vector<double>(rows, 1.5);
};

TEST_F(WholeClocks, OfHdf5KeepTheirDigits) {
  const auto times = microseconds();
  put("timestamp", H5T_STD_I64BE, H5T_NATIVE_INT64, times.data());
  put("x", H5T_IEEE_F64LE, H5T_NATIVE_DOUBLE, x_.data());
  expect_a_megahertz(read());
}

TEST_F(WholeClocks, InRecordsOfHdf5KeepTheirDigits) {
  struct Row {
    std::int64_t time;
    double x;
  };
  std::vector<Row> table;
  for (const std::int64_t t : microseconds()) table.push_back({t, 2});
  const hid_t type = H5Tcreate(H5T_COMPOUND, sizeof(Row));
  H5Tinsert(type, "time", offsetof(Row, time), H5T_NATIVE_INT64);
  H5Tinsert(type, "x", offsetof(Row, x), H5T_NATIVE_DOUBLE);
  put("log", type, type, table.data());
  H5Tclose(type);
  expect_a_megahertz(read());
}

TEST_F(WholeClocks, InSinglePrecisionAreAsEvenAsTheyCanBe) {
  // At 1,000 s a float is exact to 61 us, a third of the step.
  std::vector<float> times;
  for (std::size_t n = 0; n < rows; ++n)
    times.push_back(static_cast<float>(1000 + 0.0002 * static_cast<double>(n)));
  put("t", H5T_IEEE_F32LE, H5T_NATIVE_FLOAT, times.data());
  put("x", H5T_IEEE_F64LE, H5T_NATIVE_DOUBLE, x_.data());
  const WholeRecording r = read();
  EXPECT_FALSE(r.recording.axis.stamped);
  // By its ends, each within half a digit.
  EXPECT_NEAR(r.recording.axis.interval, 0.0002, 61e-6 / rows);
}

TEST(WholeClocksOfArrays, KeepTheirDigitsInEitherByteOrder) {
  const ScratchFolder folder;
  std::string little, big;
  for (const std::int64_t t : microseconds()) {
    std::string count = bytes_of(std::vector<std::int64_t>{t});
    const std::string value = bytes_of(std::vector<float>{0.5F});
    little += count + value;
    std::reverse(count.begin(), count.end());
    big += count + value;
  }
  expect_a_megahertz(read_file(folder.write("l.npy", npy("[('time', '<i8'), ('x', '<f4')]", rows, little))));
  expect_a_megahertz(
      read_file(folder.write("b.npy", npy("[('timestamp', '>i8'), ('x', '<f4')]", rows, big))));
  expect_a_megahertz(
      read_file(folder.write("d.npy", npy("[('when', '<M8[ns]'), ('x', '<f4')]", rows, little))));
}

TEST(WholeClocksOfText, KeepTheirDigits) {
  const ScratchFolder folder;
  std::string csv = "timestamp,x\n", times, values;
  for (const std::int64_t t : microseconds()) {
    csv += fmt::format("{},1.5\n", t);
    times += (times.empty() ? "" : ",") + std::to_string(t);
    values += (values.empty() ? "1.5" : ",1.5");
  }
  expect_a_megahertz(read_file(folder.write("a.csv", csv)));
  expect_a_megahertz(
      read_file(folder.write("a.json", "{\"timestamp\": [" + times + "], \"x\": [" + values + "]}")));
}

TEST(Distances, OfWholeNumbersAreExactNearTheEndsOfTheirRange) {
  const NumberType* const type = find_number_type("i64le");
  ASSERT_NE(type->distances, nullptr);
  const std::vector<std::int64_t> numbers = {began, began + 1, began + 3, began - 7};
  double out[4] = {};
  type->distances(reinterpret_cast<const char*>(numbers.data()), 8, 4, began, out);
  EXPECT_THAT(out, ElementsAre(0, 1, 3, -7));
  const std::vector<std::uint64_t> high = {0xFFFFFFFFFFFFFFF0u, 0xFFFFFFFFFFFFFFF5u};
  find_number_type("u64le")->distances(reinterpret_cast<const char*>(high.data()), 8, 2,
                                       static_cast<std::int64_t>(high[0]), out);
  EXPECT_EQ(out[1], 5);
  for (const char* name : {"i32le", "f64be", "f16le", "u8"})
    EXPECT_EQ(find_number_type(name)->distances, nullptr) << name;
}

}  // namespace
}  // namespace vprism::whole_clocks_test
