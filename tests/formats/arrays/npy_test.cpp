// NPY and NPZ: arrays written by numpy, headers that lie, archives.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/reading.h"

namespace vprism::npy_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

class Arrays : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new ScratchFolder;
    made_ = run_python(*folder_, R"(
import numpy as np
t = np.arange(100)
x = np.stack([t * 0.5, 100.0 - t], 1)
np.save('rows.npy', x)
np.save('columns.npy', x.T)
np.save('fortran.npy', np.asfortranarray(x))
for code in ['<i2', '>i4', 'u1', '<f4', '>f8', '<f2', '<i8']:
    np.save('type' + code.replace('<', 'l').replace('>', 'b') + '.npy', t.astype(code))
np.save('complex.npy', (t + 1j * t * 2).astype('<c8'))
s = np.zeros(100, dtype=[('time', '<f8'), ('force (N)', '<f4'), ('count', '<i2')])
s['time'] = t * 0.001 + 5; s['force (N)'] = t * 2; s['count'] = -t
np.save('fields.npy', s)
np.save('text.npy', np.array(['a', 'b']))
np.save('cube.npy', np.zeros((2, 3, 4)))
np.save('one.npy', np.zeros((1, 50)))
np.savez('stored.npz', small=t[:10], large=x)
np.savez_compressed('packed.npz', small=t[:10], large=x, words=np.array(['a']))
)");
  }
  static void TearDownTestSuite() { delete folder_; }
  void SetUp() override { ASSERT_TRUE(made_) << "python3-numpy is needed"; }
  static std::string path(const std::string& name) { return folder_->path(name); }
  static ScratchFolder* folder_;
  static bool made_;
};
ScratchFolder* Arrays::folder_ = nullptr;
bool Arrays::made_ = false;

TEST_F(Arrays, TheLongerDimensionIsTimeInEitherOrder) {
  for (const char* name : {"rows.npy", "columns.npy", "fortran.npy"}) {
    const WholeRecording r = read_file(path(name));
    ASSERT_EQ(r.columns.size(), 2u) << name;
    ASSERT_EQ(r.columns[0].size(), 100u) << name;
    for (int n = 0; n < 100; ++n) {
      EXPECT_EQ(r.columns[0][static_cast<std::size_t>(n)], n * 0.5) << name;
      EXPECT_EQ(r.columns[1][static_cast<std::size_t>(n)], 100.0 - n) << name;
    }
  }
}

TEST_F(Arrays, EveryTypeAndByteOrderIsRead) {
  for (const char* code : {"li2", "bi4", "u1", "lf4", "bf8", "lf2", "li8"}) {
    const WholeRecording r = read_file(path(std::string("type") + code + ".npy"));
    ASSERT_EQ(r.columns.size(), 1u) << code;
    for (int n = 0; n < 100; ++n) EXPECT_EQ(r.columns[0][static_cast<std::size_t>(n)], n) << code;
  }
}

TEST_F(Arrays, ComplexNumbersHaveTwoColumns) {
  const WholeRecording r = read_file(path("complex.npy"));
  EXPECT_TRUE(r.recording.complex);
  ASSERT_EQ(r.columns.size(), 2u);
  EXPECT_EQ(r.columns[0][7], 7);
  EXPECT_EQ(r.columns[1][7], 14);
}

TEST_F(Arrays, AFieldCalledTimeIsTheAxis) {
  const WholeRecording r = read_file(path("fields.npy"));
  EXPECT_THAT(r.names(), ElementsAre("force", "count"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "N");
  EXPECT_FALSE(r.recording.axis.stamped);
  EXPECT_NEAR(r.recording.axis.interval, 0.001, 1e-12);
  EXPECT_DOUBLE_EQ(r.recording.axis.start, 5);
  EXPECT_EQ(r.columns[1][3], -3);
}

TEST_F(Arrays, AnyColumnMayBeTheAxis) {
  const ScratchFolder folder;
  ASSERT_TRUE(run_python(folder, R"(
import numpy as np
t = np.arange(1000) * 1e-3
np.save('late.npy', np.stack([np.sin(300 * t), t], 1))
np.stack([t, np.sin(300 * t)]).astype('>f8').tofile('flat.bin')
)"));
  ReadSettings settings;
  settings.axis = "2";
  const WholeRecording r = read_file(folder.path("late.npy"), settings);
  ASSERT_EQ(r.recording.channels.size(), 1u);
  EXPECT_NEAR(r.recording.axis.rate_hz(), 1000, 1e-6);
  EXPECT_NEAR(r.columns[0][7], std::sin(2.1), 1e-12);
  settings.axis = "channel 1";
  settings.binary = "f64be:2ch:sequential";
  EXPECT_NEAR(read_file(folder.path("flat.bin"), settings).columns[0][7], std::sin(2.1), 1e-12);
  settings.binary.clear();
  settings.axis = "3";
  EXPECT_THAT(error_of(folder.path("late.npy"), settings), HasSubstr("unknown channel"));
}

TEST_F(Arrays, WhatIsNoSignalIsRefused) {
  EXPECT_THAT(error_of(path("text.npy")), HasSubstr("no numbers"));
  EXPECT_EQ(read_file(path("one.npy")).columns.size(), 1u);
}

TEST_F(Arrays, ArchivesListTheirArraysAndTakeTheLargest) {
  for (const char* name : {"stored.npz", "packed.npz"}) {
    const WholeRecording r = read_file(path(name));
    ASSERT_EQ(r.recording.parts.size(), 2u) << name;
    EXPECT_EQ(r.recording.parts[r.recording.part].name, "large");
    EXPECT_EQ(r.columns[1][10], 90);
    ReadSettings settings;
    settings.part = "small";
    EXPECT_EQ(read_file(path(name), settings).columns[0].size(), 10u);
    settings.part = "smal";
    EXPECT_THAT(error_of(path(name), settings), HasSubstr("did you mean \"small\""));
  }
}

std::string with_header(const std::string& dictionary, const std::string& data = std::string(80, '\0')) {
  std::string head = "\x93NUMPY\x01";
  head += '\0';
  head += static_cast<char>(dictionary.size());
  head += '\0';
  return head + dictionary + data;
}

TEST(NpyHeaders, ThatLieAreToldNotBelieved) {
  const ScratchFolder folder;
  for (const char* dictionary : {"{'descr': '<f8', 'fortran_order': False, 'shape': (11,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (0,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (10, 0), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (99999999999999999,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (-3,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (L,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (1L0,), }",
                                 "{'descr': '<f9', 'fortran_order': False, 'shape': (10,), }",
                                 "{'descr': '<f8', 'fortran_order': False, 'shape': (10, 99999), }",
                                 "{'descr': '<f8', 'fortran_order': False, }", "{'shape': (10,), }",
                                 "{'descr': [('a', '<f8'), ('b', '<f8'", "nothing",
                                 "{'descr': '<O8', 'fortran_order': False, 'shape': (10,)}"}) {
    const std::string path = folder.write("x.npy", with_header(dictionary));
    EXPECT_NE(error_of(path), "") << dictionary;
  }
  EXPECT_EQ(error_of(folder.write("y.npy",
                                  with_header("{'descr': '<f8', 'fortran_order': False, 'shape': (10,), }"))),
            "");
  // As old writers put it.
  EXPECT_EQ(
      read_file(
          folder.write("z.npy", with_header("{'descr': '<f8', 'fortran_order': False, 'shape': (10L,), }")))
          .columns[0]
          .size(),
      10u);
}

TEST(NpyHeaders, FloatsThatAreNoNumbersBecomeGaps) {
  const ScratchFolder folder;
  std::string data;
  for (const double x : {1.0, std::nan(""), HUGE_VAL, 4.0}) data.append(reinterpret_cast<const char*>(&x), 8);
  const WholeRecording r = read_file(
      folder.write("x.npy", with_header("{'descr': '<f8', 'fortran_order': False, 'shape': (4,), }", data)));
  EXPECT_EQ(r.columns[0][0], 1);
  EXPECT_TRUE(std::isnan(r.columns[0][1]));
  EXPECT_TRUE(std::isnan(r.columns[0][2]));
  EXPECT_EQ(r.columns[0][3], 4);
}

}  // namespace
}  // namespace vprism::npy_test
