// frame_order_test.cpp: numbers and stamps of samples against what a header says.
#include "formats/frame_order.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::frame_order_test {
namespace {

std::vector<std::string> codes(const FrameOrder& order, std::string* text = nullptr) {
  Recording r;
  order.report_to(r);
  std::vector<std::string> out;
  for (const Caution& c : r.cautions) {
    out.push_back(c.code);
    if (text != nullptr) *text += c.text;
  }
  return out;
}

TEST(FrameOrder, SamplesInOrderAtTheirRateAreNoCaution) {
  FrameOrder order(1e-3, 1e-6);
  for (int n = 0; n < 1000; ++n) order.add(n + 1, n * 1e-3);
  EXPECT_TRUE(codes(order).empty());
}

TEST(FrameOrder, RepeatedAndJumpingNumbersAreCounted) {
  FrameOrder order(0, 0);
  for (const double n : {1, 2, 2, 3, 7, 8, 8}) order.add(n, std::nan(""));
  std::string text;
  EXPECT_EQ(codes(order, &text), (std::vector<std::string>{"numbers-repeat", "numbers-jump"}));
  EXPECT_NE(text.find("2 samples repeat"), std::string::npos) << text;
  EXPECT_NE(text.find("from 3 to 7 at sample 5"), std::string::npos) << text;
}

TEST(FrameOrder, StampsThatDisagreeWithTheRateAreSaid) {
  FrameOrder order(1e-3, 1e-6);
  for (int n = 0; n < 1000; ++n) order.add(n + 1, n * 1.25e-3);
  std::string text;
  EXPECT_EQ(codes(order, &text), std::vector<std::string>{"rate-disagrees"});
  EXPECT_NE(text.find("the stamps make it 800 Hz"), std::string::npos) << text;
}

}  // namespace
}  // namespace vprism::frame_order_test
