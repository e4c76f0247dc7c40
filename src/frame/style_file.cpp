// style_file.cpp: see style_file.h.
#include "frame/style_file.h"

#include <algorithm>

#include "base/text.h"
#include "base/units/quantity.h"
#include "frame/toml_file.h"

namespace vprism {

namespace {

class StyleFile {
 public:
  explicit StyleFile(const std::string& path) : path_(path), table_(read_toml_file(path)) {
    static const std::vector<std::string> known = {"width",      "height",     "dpi",    "font",
                                                   "font_scale", "line_scale", "colours"};
    for (const auto& [key, node] : table_)
      if (std::find(known.begin(), known.end(), key.str()) == known.end())
        fail_at(path_, node, unknown_name("key", std::string(key.str()), known));
  }

  FigureStyle style() {
    FigureStyle s;
    length("width", s.width_px);
    length("height", s.height_px);
    number("dpi", s.dpi, 30, 2400);
    number("font_scale", s.font_scale, 0.3, 5);
    number("line_scale", s.line_scale, 0.1, 10);
    if (const toml::node* node = table_.get("font")) {
      const auto font = node->value<std::string>();
      const bool plain =
          font && !font->empty() && std::all_of(font->begin(), font->end(), [](unsigned char c) {
            return std::isalnum(c) != 0 || c == ' ' || c == '-';
          });
      if (!plain) fail_at(path_, *node, "font is the name of a font, such as \"DejaVu Serif\"");
      s.font = *font;
    }
    if (const toml::node* node = table_.get("colours")) {
      const toml::array* const all = node->as_array();
      if (all == nullptr || all->empty())
        fail_at(path_, *node, "colours are a list, such as [\"#000000\", \"#d55e00\"]");
      for (const toml::node& one : *all) {
        const std::string colour = one.value_or(std::string());
        if (colour.size() != 7 || colour[0] != '#' ||
            colour.find_first_not_of("0123456789abcdefABCDEF", 1) != std::string::npos)
          fail_at(path_, one, "\"" + clean_text(colour) + "\" is no colour; write \"#d55e00\"");
        s.colours.push_back(colour);
      }
    }
    return s;
  }

 private:
  void number(const char* key, double& to, double least, double most) {
    const toml::node* const node = table_.get(key);
    if (node == nullptr) return;
    const auto value = node->value<double>();
    if (!value || !(*value >= least) || *value > most)
      fail_at(path_, *node, fmt::format("{} is a number from {} to {}", key, least, most));
    to = *value;
  }

  void length(const char* key, double& to) {
    const toml::node* const node = table_.get(key);
    if (node == nullptr) return;
    double pixels = node->value_or(0.0);
    if (const auto text = node->value<std::string>()) {
      try {
        pixels = parse_positive(*text, Dimension::length) / 0.0254 * pixels_per_inch;
      } catch (const Error& error) {
        fail_at(path_, *node, std::string(key) + ": " + error.what());
      }
    }
    if (!(pixels >= 150) || pixels > 10000)
      fail_at(path_, *node, std::string(key) + " is from 150 to 10000 pixels, or a length such as \"85 mm\"");
    to = pixels;
  }

  std::string path_;
  toml::table table_;
};

}  // namespace

FigureStyle read_style(const std::string& name) {
  return name == "journal" ? journal_style() : StyleFile(name).style();
}

}  // namespace vprism
