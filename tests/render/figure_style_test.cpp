// Styles of figures, by name and from files.
#include "render/figure_style.h"

#include <gmock/gmock.h>

#include "base/error.h"
#include "formats/scratch_folder.h"
#include "render/figure_script.h"

namespace vprism::figure_style_test {
namespace {

using ::testing::HasSubstr;
using ::testing::Not;

/// For as long as it lives.
struct Styled {
  explicit Styled(FigureStyle style) { set_figure_style(std::move(style)); }
  ~Styled() { set_figure_style({}); }
};

Figure two_curves() {
  Figure figure;
  figure.title = "T";
  Panel panel;
  for (int i = 0; i < 2; ++i) {
    Curve curve;
    curve.name = "c" + std::to_string(i), curve.x = {0, 1}, curve.y = {0, 1}, curve.colour = i;
    panel.curves.push_back(curve);
  }
  panel.listing = {"# beside"};
  figure.panels.push_back(panel);
  return figure;
}

TEST(FigureStyle, IsUsuallyThatOfScreens) {
  const std::string script = figure_script(two_curves(), Picture::png);
  EXPECT_THAT(script, HasSubstr("size 1280,"));
  EXPECT_THAT(script, HasSubstr("'DejaVu Sans,11'"));
  EXPECT_THAT(script, Not(HasSubstr("fontscale")));
  EXPECT_THAT(script, HasSubstr("#0072b2"));
}

TEST(FigureStyle, OfAJournalIsAColumnOf85Millimetres) {
  const Styled styled(journal_style());
  const std::string png = figure_script(two_curves(), Picture::png);
  // 85 mm at 600 dots to the inch, as whole pixels of 120 to the inch allow.
  EXPECT_THAT(png, HasSubstr("size 2005,"));
  EXPECT_THAT(png, HasSubstr("#000000"));
  EXPECT_THAT(png, Not(HasSubstr("beside")));
  EXPECT_THAT(figure_script(two_curves(), Picture::pdf), HasSubstr("size 3.34in,"));
}

TEST(FigureStyle, HasItsOwnColoursInTurn) {
  FigureStyle style;
  style.colours = {"#102030", "#405060"};
  style.font = "DejaVu Serif", style.font_scale = 1.5, style.line_scale = 2;
  const Styled styled(style);
  const std::string script = figure_script(two_curves(), Picture::svg);
  EXPECT_THAT(script, HasSubstr("#102030"));
  EXPECT_THAT(script, HasSubstr("#405060"));
  EXPECT_THAT(script, Not(HasSubstr("#0072b2")));
  EXPECT_THAT(script, HasSubstr("'DejaVu Serif,11' fontscale 1.5 linewidth 2"));
}

}  // namespace
}  // namespace vprism::figure_style_test
