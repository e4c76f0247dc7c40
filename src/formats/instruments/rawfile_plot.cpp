// rawfile_plot.cpp: see rawfile_plot.h.
#include "formats/instruments/rawfile_plot.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

constexpr std::size_t longest_header = 4 << 20;

Channel variable(std::string_view name, const std::string& type) {
  Channel channel;
  channel.name = clean_text(name);
  const auto has = [&](const char* word) { return type.find(word) != std::string::npos; };
  const char* unit = has("time")                             ? "s"
                     : has("freq")                           ? "Hz"
                     : has("current")                        ? "A"
                     : has("voltage")                        ? "V"
                     : has("power")                          ? "W"
                     : has("temp")                           ? "degC"
                     : has("charge")                         ? "C"
                     : has("capacitance")                    ? "F"
                     : has("inductance")                     ? "H"
                     : has("resistance") || has("impedance") ? "ohm"
                                                             : "1";
  channel.unit = Unit::parse(unit);
  channel.quantity = quantity_of(channel.unit);
  return channel;
}

/// The header lines from `at` on, whichever way they are written.
class Header {
 public:
  Header(const InputFile& file, std::uint64_t at) : at_(at) {
    bytes_ = file.text(at, 256 * 1024);
    wide_ = bytes_.size() > 2 && bytes_[0] == 'T' && bytes_[1] == '\0';
    // Thousands of variables make a long header; it is looked for only if the short look does not hold it.
    if (bytes_.size() == 256 * 1024 && !find("Binary:") && !find("Values:"))
      bytes_ = file.text(at, longest_header);
  }
  bool get(std::string& line) {
    line.clear();
    const std::size_t step = wide_ ? 2 : 1;
    for (; used_ + step <= bytes_.size(); used_ += step) {
      const char c = bytes_[used_];
      if (c == '\n') {
        used_ += step;
        if (!line.empty() && line.back() == '\r') line.pop_back();
        return true;
      }
      // Beyond Latin, UTF-16 names are marked, not read.
      line += wide_ && bytes_[used_ + 1] != '\0' ? '?' : c;
    }
    return false;
  }
  std::uint64_t offset() const { return at_ + used_; }

 private:
  bool find(std::string_view word) const {
    std::string wanted;
    for (const char c : word) (wanted += c) += wide_ ? std::string(1, '\0') : "";
    return bytes_.find(wanted) != std::string::npos;
  }
  std::uint64_t at_;
  std::string bytes_;
  bool wide_ = false;
  std::size_t used_ = 0;
};

std::uint64_t count_of(const InputFile& file, const std::string& value) {
  const std::string_view digits = trimmed(value);
  std::uint64_t out = 0;
  for (const char c : digits.substr(0, digits.find(' '))) {
    if (c < '0' || c > '9' || out > (std::uint64_t{1} << 50))
      damaged_rawfile(file, "\"" + clean_text(value) + "\" is no count");
    out = out * 10 + static_cast<std::uint64_t>(c - '0');
  }
  return out;
}

}  // namespace

bool begins_plot(const InputFile& file, std::uint64_t at) {
  const std::string bytes = file.text(at, 12);
  return starts_with(lower_case(bytes), "title:") || starts_with(bytes, std::string_view("T\0i\0t\0", 6)) ||
         starts_with(lower_case(bytes), "plotname:");
}

void damaged_rawfile(const InputFile& file, const std::string& what) {
  throw Error(Status::input,
              file.name() + ": damaged rawfile header: " + what + "; run the simulation again");
}

bool read_plot(const InputFile& file, std::uint64_t at, RawPlot& plot) {
  Header header(file, at);
  std::string line;
  bool any = false;
  while (header.get(line)) {
    const std::size_t colon = line.find(':');
    if (trimmed(line).empty()) continue;
    if (colon == std::string::npos) damaged_rawfile(file, "line \"" + clean_text(line, 40) + "\"");
    any = true;
    const std::string key = lower_case(trimmed(std::string_view(line).substr(0, colon)));
    const std::string value(trimmed(std::string_view(line).substr(colon + 1)));
    if (key == "title") plot.title = clean_text(value);
    if (key == "plotname") plot.name = clean_text(value);
    if (key == "flags") plot.flags = lower_case(value);
    if (key == "no. variables") plot.variable_count = count_of(file, value);
    if (key == "no. points") plot.points = count_of(file, value);
    if (key == "variables") {
      if (plot.variable_count == 0 || plot.variable_count > 65536)
        damaged_rawfile(file, std::to_string(plot.variable_count) + " variables");
      // The list may begin on the same line.
      std::string entry = value;
      while (plot.variables.size() < plot.variable_count && (!entry.empty() || header.get(entry))) {
        std::vector<std::string> words;
        for (const std::string& word : split(entry, entry.find('\t') == std::string::npos ? ' ' : '\t'))
          if (!trimmed(word).empty()) words.emplace_back(trimmed(word));
        if (words.size() < 3) damaged_rawfile(file, "variable \"" + clean_text(entry, 40) + "\"");
        plot.types.push_back(lower_case(words[2]));
        plot.variables.push_back(variable(words[1], plot.types.back()));
        entry.clear();
      }
    }
    if (key == "binary" || key == "values") {
      plot.text = key == "values";
      plot.data = header.offset();
      if (plot.variables.size() != plot.variable_count || plot.variables.empty())
        damaged_rawfile(file, "the list of variables is cut");
      plot.complex = plot.flags.find("complex") != std::string::npos;
      return true;
    }
  }
  if (any) damaged_rawfile(file, "neither \"Binary:\" nor \"Values:\" follows");
  return false;
}

}  // namespace vprism
