// --style on the command line.
#include <gmock/gmock.h>

#include "base/error.h"
#include "cli/run_program.h"
#include "frame/style_file.h"

namespace vprism::style_test {
namespace {

using ::testing::HasSubstr;

std::string complaint(const ScratchFolder& folder, const std::string& text) {
  folder.write("s.toml", text);
  try {
    (void)read_style(folder.path("s.toml"));
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

TEST(StyleFile, SaysSizesFontAndColours) {
  const ScratchFolder folder;
  folder.write("s.toml",
               "width = \"127 mm\"\nheight = 400\ndpi = 300\nfont = \"DejaVu Serif\"\nfont_scale = 1.2\n"
               "line_scale = 0.5\ncolours = [\"#000000\", \"#D55E00\"]\n");
  const FigureStyle style = read_style(folder.path("s.toml"));
  EXPECT_NEAR(style.width_px, 600, 1e-9);
  EXPECT_EQ(style.height_px, 400);
  EXPECT_EQ(style.dpi, 300);
  EXPECT_EQ(style.font, "DejaVu Serif");
  EXPECT_EQ(style.colours.size(), 2U);
}

TEST(StyleFile, NamesMistakesWithTheirPlace) {
  const ScratchFolder folder;
  EXPECT_THAT(complaint(folder, "widht = 3\n"), HasSubstr("did you mean \"width\""));
  EXPECT_THAT(complaint(folder, "\nwidth = \"85 kg\"\n"), HasSubstr("s.toml:2:"));
  EXPECT_THAT(complaint(folder, "width = 3\n"), HasSubstr("150 to 10000"));
  EXPECT_THAT(complaint(folder, "font = \"a'; system 'x\"\n"), HasSubstr("name of a font"));
  EXPECT_THAT(complaint(folder, "colours = [\"red\"]\n"), HasSubstr("no colour"));
  EXPECT_THAT(complaint(folder, "dpi = \"many\"\n"), HasSubstr("dpi is a number"));
  EXPECT_THAT(complaint(folder, "a = [\n"), HasSubstr("s.toml:"));
}

TEST(Style, ChangesWhatIsDrawn) {
  const ScratchFolder folder;
  std::string text = "t (s),x (V)\n";
  for (int n = 0; n < 500; ++n) text += std::to_string(n * 0.01) + "," + std::to_string(n % 7) + "\n";
  folder.write("a.csv", text);
  EXPECT_EQ(run_program(folder, "inspect a.csv --figure svg --out one --quiet").status, 0);
  EXPECT_EQ(run_program(folder, "inspect a.csv --figure svg --out two --quiet --style journal").status, 0);
  const std::string usual = ScratchFolder::read(folder.path("one/a-inspect.svg")),
                    journal = ScratchFolder::read(folder.path("two/a-inspect.svg"));
  EXPECT_THAT(usual, HasSubstr("width=\"1280\""));
  EXPECT_THAT(journal, HasSubstr("width=\"401\""));
  EXPECT_THAT(error_line(folder, "inspect a.csv --style none.toml", 3), HasSubstr("none.toml"));
}

TEST(Style, OfACaseDrawsItsPicturesAnew) {
  const ScratchFolder folder;
  std::string text = "t (s),x (V)\n";
  for (int n = 0; n < 500; ++n) text += std::to_string(n * 0.01) + "," + std::to_string(n % 7) + "\n";
  folder.write("a.csv", text);
  folder.write("c.toml",
               "title = \"T\"\n[recordings.a]\nfile = \"a.csv\"\n[[steps]]\nname = \"look\"\n"
               "command = \"inspect\"\nrecording = \"a\"\n");
  const auto width = [&] {
    const std::string png = ScratchFolder::read(folder.path("out/steps/look/a-inspect.png"));
    return png.size() < 20 ? 0
                           : 256 * static_cast<unsigned char>(png[18]) + static_cast<unsigned char>(png[19]);
  };
  EXPECT_EQ(run_program(folder, "case c.toml --out out --quiet").status, 0);
  EXPECT_EQ(width(), 1280);
  const ProgramRun run = run_program(folder, "case c.toml --out out --quiet --style journal");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_EQ(width(), 2005);
  EXPECT_EQ(run_program(folder, "batch inspect a.csv --out b --quiet --style journal").status, 0);
}

}  // namespace
}  // namespace vprism::style_test
