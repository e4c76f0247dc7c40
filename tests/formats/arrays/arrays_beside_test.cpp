// arrays_beside_test.cpp: rates and times that stand beside the numbers as arrays of their own, in NPZ
// archives, HDF5 files and tables of records, as people save them.
#include <gmock/gmock.h>
#include <hdf5.h>
#include <zip.h>

#include <cmath>
#include <cstring>

#include "formats/reading.h"

namespace vprism::arrays_beside_test {
namespace {

using ::testing::ElementsAre;

/// An NPY file of version 1.
std::string npy(const std::string& type, const std::string& shape, const std::string& bytes) {
  std::string header = "{'descr': '" + type + "', 'fortran_order': False, 'shape': " + shape + ", }";
  header.append(63 - (header.size() + 10) % 64, ' ');
  header += '\n';
  std::string out("\x93NUMPY\x01\x00", 8);
  out += static_cast<char>(header.size() & 255);
  out += static_cast<char>(header.size() >> 8);
  return out + header + bytes;
}

template <typename Number>
std::string bytes_of(const std::vector<Number>& numbers) {
  return std::string(reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(Number));
}

std::string npy_of(const std::vector<double>& numbers) {
  return npy("<f8", "(" + std::to_string(numbers.size()) + ",)", bytes_of(numbers));
}

std::string npz(const ScratchFolder& folder, const std::string& name,
                const std::vector<std::pair<std::string, std::string>>& members) {
  const std::string path = folder.path(name);
  int code = 0;
  zip_t* archive = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
  for (const auto& [member, bytes] : members) {
    zip_source_t* source = zip_source_buffer(archive, bytes.data(), bytes.size(), 0);
    zip_file_add(archive, (member + ".npy").c_str(), source, ZIP_FL_OVERWRITE);
  }
  zip_close(archive);
  return path;
}

std::vector<double> rising(std::size_t count, double first, double step) {
  std::vector<double> out;
  for (std::size_t n = 0; n < count; ++n) out.push_back(first + step * static_cast<double>(n));
  return out;
}

TEST(NpzArrays, OfOneLengthAreChannelsWithTheRateBesideThem) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(npz(folder, "a.npz",
                                         {{"fs", npy("<f8", "()", bytes_of(std::vector<double>{1250}))},
                                          {"x", npy_of(rising(300, 0, 1))},
                                          {"y", npy_of(rising(300, 5, -1))}}));
  EXPECT_THAT(r.names(), ElementsAre("x", "y"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1250, 1e-9);
  EXPECT_EQ(r.columns[1][299], 5 - 299);
  EXPECT_TRUE(r.recording.parts.empty());
  ReadSettings one;
  one.part = "y";
  EXPECT_THAT(read_file(folder.path("a.npz"), one).names(), ElementsAre("y"));
}

TEST(NpzArrays, CalledTimeAreTheAxisOfTablesToo) {
  const ScratchFolder folder;
  std::string table;
  for (int n = 0; n < 200; ++n)
    table += bytes_of(std::vector<float>{static_cast<float>(n), static_cast<float>(-n)});
  const WholeRecording r = read_file(npz(
      folder, "b.npz", {{"time", npy_of(rising(200, 0.5, 0.004))}, {"data", npy("<f4", "(200, 2)", table)}}));
  EXPECT_THAT(r.names(), ElementsAre("data 1", "data 2"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_NEAR(r.recording.axis.start, 0.5, 1e-12);
  EXPECT_EQ(r.columns[1][199], -199);
  // [channel][time], and an array of another length.
  const std::vector<double> rows = rising(400, 0, 1);
  const WholeRecording turned = read_file(npz(folder, "c.npz",
                                              {{"t", npy_of(rising(200, 0, 0.01))},
                                               {"x", npy("<f8", "(2, 200)", bytes_of(rows))},
                                               {"other", npy_of(rising(7, 0, 1))}}));
  EXPECT_NEAR(turned.recording.axis.rate_hz(), 100, 1e-9);
  EXPECT_EQ(turned.columns[1][0], 200);
  EXPECT_EQ(turned.recording.parts.size(), 2u);
}

TEST(NpzArrays, ThatRiseAndAreCalledFrequencyAreTheAxisOfSpectra) {
  const ScratchFolder folder;
  const WholeRecording real = read_file(
      npz(folder, "d.npz", {{"f", npy_of(rising(120, 5, 2.5))}, {"psd", npy_of(rising(120, 1, 1))}}));
  EXPECT_THAT(real.names(), ElementsAre("psd"));
  EXPECT_EQ(real.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_NEAR(real.recording.axis.interval, 2.5, 1e-9);
  const std::vector<double> pairs = rising(240, 0, 1);
  const WholeRecording complex = read_file(npz(folder, "e.npz",
                                               {{"freq", npy_of(rising(120, 0, 10))},
                                                {"H", npy("<c16", "(120,)", bytes_of(pairs))},
                                                {"label", npy("|O", "()", std::string(16, 'x'))}}));
  EXPECT_THAT(complex.names(), ElementsAre("H"));
  EXPECT_TRUE(complex.recording.complex);
  EXPECT_EQ(complex.recording.axis.domain, Axis::Domain::frequency);
  EXPECT_EQ(complex.columns[1][119], 239);
  EXPECT_TRUE(complex.warns_of("sets-left-out"));
  // A force called f swings.
  std::vector<double> force = rising(120, 0, 1);
  force[50] = 0;
  const WholeRecording swings =
      read_file(npz(folder, "g.npz", {{"f", npy_of(force)}, {"x", npy_of(rising(120, 1, 1))}}));
  EXPECT_THAT(swings.names(), ElementsAre("f", "x"));
}

TEST(NpyRecords, DatesAreTheClock) {
  const ScratchFolder folder;
  std::string bytes;
  for (std::int64_t n = 0; n < 100; ++n) {
    bytes += bytes_of(std::vector<std::int64_t>{1762150028000000 + 800 * n});
    bytes += bytes_of(std::vector<float>{static_cast<float>(n)});
  }
  // A record's fields stand in a list in place of one type.
  const std::string records = "[('time', '<M8[us]'), ('a', '<f4')]";
  const std::string head = "{'descr': " + records + ", 'fortran_order': False, 'shape': (100,), }";
  std::string file("\x93NUMPY\x01\x00", 8);
  std::string padded = head;
  padded.append(63 - (head.size() + 10) % 64, ' ');
  padded += '\n';
  file += static_cast<char>(padded.size() & 255);
  file += static_cast<char>(padded.size() >> 8);
  const WholeRecording r = read_file(folder.write("d.npy", file + padded + bytes));
  EXPECT_THAT(r.names(), ElementsAre("a"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1250, 1e-6);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_EQ(*r.recording.zero_ns, 1762150028000000000);
}

class Hdf5Beside : public ::testing::Test {
 protected:
  Hdf5Beside() : file_(H5Fcreate(folder_.path("a.h5").c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT)) {}
  void put(const char* name, const std::vector<hsize_t>& shape, const std::vector<double>& numbers) {
    const hid_t space = shape.empty()
                            ? H5Screate(H5S_SCALAR)
                            : H5Screate_simple(static_cast<int>(shape.size()), shape.data(), nullptr);
    const hid_t set = H5Dcreate2(file_, name, H5T_IEEE_F64LE, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
    H5Dwrite(set, H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, numbers.data());
    H5Dclose(set), H5Sclose(space);
  }
  void put_texts(const char* name, const std::vector<std::string>& texts, std::size_t each = 0) {
    const hsize_t size = texts.size();
    const hid_t space = H5Screate_simple(1, &size, nullptr), type = H5Tcopy(H5T_C_S1);
    H5Tset_size(type, each > 0 ? each : H5T_VARIABLE);
    const hid_t set = H5Dcreate2(file_, name, type, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
    std::string all(each * texts.size(), '\0');
    std::vector<const char*> pointers;
    for (std::size_t k = 0; k < texts.size(); ++k) {
      pointers.push_back(texts[k].c_str());
      if (each > 0) all.replace(k * each, texts[k].size(), texts[k]);
    }
    H5Dwrite(set, type, H5S_ALL, H5S_ALL, H5P_DEFAULT,
             each > 0 ? static_cast<const void*>(all.data()) : static_cast<const void*>(pointers.data()));
    H5Dclose(set), H5Tclose(type), H5Sclose(space);
  }
  void group(const char* name, const char* label, double rate) {
    const hid_t made = H5Gcreate2(file_, name, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
    const hid_t scalar = H5Screate(H5S_SCALAR), text = H5Tcopy(H5T_C_S1);
    H5Tset_size(text, std::strlen(label));
    const hid_t named = H5Acreate2(made, "name", text, scalar, H5P_DEFAULT, H5P_DEFAULT);
    H5Awrite(named, text, label);
    const hid_t rated = H5Acreate2(made, "sampling_rate", H5T_IEEE_F64LE, scalar, H5P_DEFAULT, H5P_DEFAULT);
    H5Awrite(rated, H5T_NATIVE_DOUBLE, &rate);
    H5Aclose(named), H5Aclose(rated), H5Tclose(text), H5Sclose(scalar), H5Gclose(made);
  }
  WholeRecording read() {
    H5Fclose(file_);
    return read_file(folder_.path("a.h5"));
  }
  ScratchFolder folder_;
  hid_t file_;
};

TEST_F(Hdf5Beside, ARateIsADataSetOfOneNumber) {
  put("sample_rate", {}, {48000});
  put("left", {500}, rising(500, 0, 1));
  put("right", {500}, rising(500, 1, 1));
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("left", "right"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 48000, 1e-6);
  EXPECT_THAT(r.recording.axis.source, ::testing::HasSubstr("sample_rate"));
}

TEST_F(Hdf5Beside, RowsOfOneColumnServeAsTimes) {
  put("fs", {1, 1}, {999});  // The times go before it.
  put("t", {1, 400}, rising(400, 0.25, 0.001));
  put("data", {3, 400}, rising(1200, 0, 1));
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("data 1", "data 2", "data 3"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6);
  EXPECT_NEAR(r.recording.axis.start, 0.25, 1e-12);
  EXPECT_EQ(r.columns[2][0], 800);
}

TEST_F(Hdf5Beside, FieldsOfRecordsAreColumnsAndCountsSince1970AreTheClock) {
  struct Row {
    std::int64_t timestamp;
    float a;
    double b;
  };
  std::vector<Row> rows;
  for (int n = 0; n < 300; ++n)
    rows.push_back({1762150028000000000 + 2000000LL * n, static_cast<float>(n), -1.0 * n});
  const hid_t type = H5Tcreate(H5T_COMPOUND, sizeof(Row));
  H5Tinsert(type, "timestamp", offsetof(Row, timestamp), H5T_NATIVE_INT64);
  H5Tinsert(type, "a", offsetof(Row, a), H5T_NATIVE_FLOAT);
  H5Tinsert(type, "b", offsetof(Row, b), H5T_NATIVE_DOUBLE);
  const hsize_t size = rows.size();
  const hid_t space = H5Screate_simple(1, &size, nullptr);
  const hid_t set = H5Dcreate2(file_, "log", type, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
  H5Dwrite(set, type, H5S_ALL, H5S_ALL, H5P_DEFAULT, rows.data());
  H5Dclose(set), H5Sclose(space), H5Tclose(type);
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("a", "b"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 500, 1e-3);
  EXPECT_EQ(r.columns[1][299], -299);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_NEAR(static_cast<double>(*r.recording.zero_ns - 1762150028000000000), 0, 300);
  EXPECT_TRUE(r.warns_of("clock-counted"));
}

TEST_F(Hdf5Beside, TextsThatAreDatesAreTheClock) {
  std::vector<std::string> times;
  for (int n = 0; n < 50; ++n)
    times.push_back("2024-03-25T10:00:0" + std::to_string(n / 10) + "." + std::to_string(n % 10));
  put_texts("stamp", times);
  put("x", {50}, rising(50, 0, 1));
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("x"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 10, 1e-6);
  ASSERT_TRUE(r.recording.zero_ns);
  EXPECT_EQ(*r.recording.zero_ns, 1711360800000000000);
}

TEST_F(Hdf5Beside, TextsOfOneLengthAreDatesTooAndNameColumns) {
  std::vector<std::string> times;
  for (int n = 0; n < 40; ++n) times.push_back("2024-03-25 10:" + std::to_string(10 + n) + ":00");
  put_texts("when", times, 24);
  put("data", {40, 2}, rising(80, 0, 1));
  put_texts("names", {"inlet", "outlet"}, 8);
  put_texts("units", {"bar", "mV"});
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("inlet", "outlet"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "mV");
  EXPECT_NEAR(r.recording.axis.interval, 60, 1e-9);
  EXPECT_EQ(r.columns[1][39], 79);
}

TEST_F(Hdf5Beside, AGroupForEachChannelMakesOnePart) {
  group("a", "inlet", 250), group("b", "outlet", 250), group("c", "slow", 10);
  put("a/data", {50}, rising(50, 0, 1));
  put("b/data", {50}, rising(50, 100, 1));
  put("c/data", {50}, rising(50, 200, 1));
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("inlet", "outlet"));
  EXPECT_NEAR(r.recording.axis.rate_hz(), 250, 1e-9);
  EXPECT_EQ(r.columns[1][0], 100);
  // Another rate is not of the same part.
  EXPECT_EQ(r.recording.parts.size(), 2u);
  EXPECT_TRUE(r.warns_of("groups-joined"));
  ReadSettings one;
  one.part = "b";
  EXPECT_EQ(read_file(folder_.path("a.h5"), one).columns[0][0], 100);
}

TEST_F(Hdf5Beside, TruthValuesAreNumbersAndARateMayStandElsewhere) {
  const hid_t type = H5Tenum_create(H5T_NATIVE_INT8);
  const signed char no = 0, yes = 1;
  H5Tenum_insert(type, "FALSE", &no), H5Tenum_insert(type, "TRUE", &yes);
  const hsize_t size = 60;
  const hid_t space = H5Screate_simple(1, &size, nullptr);
  const hid_t set = H5Dcreate2(file_, "gate", type, space, H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT);
  std::vector<signed char> gate(60, 0);
  gate[7] = gate[59] = 1;
  H5Dwrite(set, type, H5S_ALL, H5S_ALL, H5P_DEFAULT, gate.data());
  H5Dclose(set), H5Sclose(space), H5Tclose(type);
  H5Gclose(H5Gcreate2(file_, "meta", H5P_DEFAULT, H5P_DEFAULT, H5P_DEFAULT));
  put("meta/Sampling Rate (kHz)", {}, {2.5});
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("gate"));
  EXPECT_EQ(r.columns[0][7], 1);
  EXPECT_EQ(r.columns[0][8], 0);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 2500, 1e-9);
}

TEST(NpzArrays, TextsNameTheColumnsOfTables) {
  const ScratchFolder folder;
  // Four bytes for each character.
  const std::string names("i\0\0\0n\0\0\0o\0\0\0u\0\0\0", 16);
  const WholeRecording r = read_file(npz(folder, "n.npz",
                                         {{"fs", npy("<f8", "()", bytes_of(std::vector<double>{50}))},
                                          {"y", npy("<f8", "(2, 60)", bytes_of(rising(120, 0, 1)))},
                                          {"labels", npy("<U2", "(2,)", names)},
                                          {"units", npy("|S2", "(2,)", std::string("V\0mA", 4))}}));
  EXPECT_THAT(r.names(), ElementsAre("in", "ou"));
  EXPECT_EQ(r.recording.channels[1].unit.text(), "mA");
  EXPECT_EQ(r.columns[1][0], 60);
}

TEST_F(Hdf5Beside, TextsThatAreUsedAreNotLeftOutAndOthersAre) {
  put("fs", {}, {100});
  put("data", {40, 3}, rising(120, 0, 1));
  put_texts("names", {"a", "b", "c"});
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("a", "b", "c"));
  EXPECT_FALSE(r.warns_of("sets-left-out"));
}

TEST_F(Hdf5Beside, DatesThatAreNoClockAreNamed) {
  std::vector<std::string> when, sent;
  for (int n = 10; n < 60; ++n)
    when.push_back("2024-03-25T10:" + std::to_string(n) + ":00"),
        sent.push_back("2024-03-25T11:" + std::to_string(n) + ":30");
  put("x", {50}, rising(50, 0, 1));
  put_texts("measured", when);
  put_texts("sent", sent);
  const WholeRecording r = read();
  EXPECT_THAT(r.names(), ElementsAre("x"));
  EXPECT_NEAR(r.recording.axis.interval, 60, 1e-9);
  EXPECT_TRUE(r.warns_of("sets-left-out"));
}

TEST_F(Hdf5Beside, WhatIsNoNumberIsNamed) {
  put("x", {100}, rising(100, 0, 1));
  put_texts("said", {"one", "two", "three"});
  EXPECT_TRUE(read().warns_of("sets-left-out"));
}

}  // namespace
}  // namespace vprism::arrays_beside_test
