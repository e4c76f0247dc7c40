// The words of a step: values in order, keyed values, flags, units behind blanks.
#include "condition/step_words.h"

#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::step_words_test {
namespace {

using ::testing::HasSubstr;

StepWords words(std::vector<std::string> list) {
  return StepWords(std::move(list), {"order", "kind", "fir", "bessel", "zero-phase"}, "lowpass 15Hz order 4");
}

template <typename Action>
std::string message(Action action) {
  try {
    action();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    return error.what();
  }
  return "";
}

TEST(StepWords, ComeInAnyOrderBehindTheValue) {
  for (const auto& list : {std::vector<std::string>{"15Hz", "order", "4", "zero-phase"},
                           {"zero-phase", "order", "4", "15Hz"},
                           {"15", "Hz", "zero-phase", "order", "4"}}) {
    StepWords w = words(list);
    EXPECT_EQ(w.keyed_whole("order", 1, 20), 4);
    EXPECT_TRUE(w.flag("zero-phase"));
    EXPECT_FALSE(w.flag("zero-phase"));
    EXPECT_EQ(w.value(), "15Hz");
    EXPECT_NO_THROW(w.done());
  }
}

TEST(StepWords, AKeywordBehindANumberIsNoUnit) {
  StepWords w = words({"4", "kind", "fir"});
  EXPECT_EQ(w.value(), "4");
  EXPECT_EQ(w.keyed("kind"), "fir");
  EXPECT_FALSE(w.next());
}

TEST(StepWords, SayWhatIsWrong) {
  EXPECT_THAT(message([] { words({}).value(); }),
              HasSubstr("a value is missing; write for example \"lowpass 15Hz order 4\""));
  EXPECT_THAT(message([] { words({"order"}).keyed("order"); }),
              HasSubstr("\"order\" needs a value behind it"));
  EXPECT_THAT(message([] { words({"order", "4", "order", "5"}).keyed("order"); }), HasSubstr("given twice"));
  EXPECT_THAT(message([] { words({"order", "90"}).keyed_whole("order", 1, 20); }), HasSubstr("at most 20"));
  EXPECT_THAT(message([] { words({"order", "four"}).keyed_whole("order", 1, 20); }), HasSubstr("four"));
  EXPECT_THAT(message([] {
                words({"fir", "bessel"}).one_of({"fir", "bessel"});
              }),
              HasSubstr("exclude each other"));
  EXPECT_THAT(message([] { words({"15Hz", "3"}).done(); }), HasSubstr("is too much"));
  EXPECT_THAT(message([] { words({"zero-fase"}).done(); }), HasSubstr("did you mean \"zero-phase\""));
  EXPECT_THAT(message([] {
                words({"cubic"}).value_of({"constant", "linear"}, "trend");
              }),
              HasSubstr("unknown trend"));
  EXPECT_THAT(message([] { plain_number("3V"); }), HasSubstr("must be a plain number"));
  EXPECT_EQ(plain_number("-2.5e-3"), -2.5e-3);
}

}  // namespace
}  // namespace vprism::step_words_test
