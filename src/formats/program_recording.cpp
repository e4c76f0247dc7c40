// program_recording.cpp: see program_recording.h.
//
//     fs = 250.0                                       {"fs": 250.0,
//     u = np.array([0.1, 0.2, ...])                     "u": [0.1, 0.2, ...],
//     static const float i[3] = {1.0f, 2.0f, 3.0f};     "i": [1.0, 2.0, 3.0],
//     m = [0 1.5; 0.01 1.4];                            "m": [[0, 1.5], [0.01, 1.4]]}
#include "formats/program_recording.h"

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/documents/labelled_arrays.h"
#include "formats/documents/program_text.h"
#include "formats/files/input_file.h"
#include "formats/json/json_recording.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::uint64_t most_program_bytes = std::uint64_t{64} << 20;

std::vector<std::string_view> program_lines(std::string_view text, std::size_t most) {
  std::vector<std::string_view> out;
  for (std::size_t at = 0; at < text.size() && out.size() < most;) {
    const std::size_t end = std::min(text.size(), text.find('\n', at));
    out.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

/// Arrays that get a name: openings with a bracket behind them.
std::size_t openings(std::string_view text) {
  std::size_t count = 0;
  for (std::size_t at = 0; at < text.size() && count < 2;) {
    const std::size_t end = std::min(text.size(), text.find('\n', at));
    count += is_array_opening(text.substr(at, end - at)) ? 1 : 0;
    at = end + 1;
  }
  return count;
}

class Reader {
 public:
  explicit Reader(std::string_view text) : text_(text) {}

  Document read(std::vector<std::string>& left_out) {
    Document out = Document::object();
    while (at_ < text_.size()) {
      const std::size_t end = std::min(text_.size(), text_.find('\n', at_));
      const std::string_view line = text_.substr(at_, end - at_);
      if (const auto opening = array_opening(line)) {
        at_ = static_cast<std::size_t>(opening->behind.data() - text_.data());
        std::string name = opening->name;
        while (out.contains(name)) name += "'";
        bits_ = opening->bits;
        Document rows = array();
        if (rows.empty())
          left_out.push_back(name);
        else
          out[name] = std::move(rows);
        continue;
      }
      if (const auto setting = program_setting(line); setting && !out.contains(setting->name)) {
        if (setting->number)
          out[setting->name] = *setting->number;
        else
          out[setting->name] = setting->text;
      }
      at_ = end + 1;
    }
    return out;
  }

 private:
  /// From the outer bracket on, to the one that closes it: a list, or a list of rows.
  Document array() {
    std::vector<Document> rows;
    Document row = Document::array();
    int depth = 0;
    bool commas = false, parted = false;
    const auto end_row = [&] {
      if (!row.empty()) rows.push_back(std::move(row)), row = Document::array();
    };
    std::string cell;
    const auto end_cell = [&] {
      if (cell.empty() || cell == "...") return cell.clear();
      // What is no number keeps its place.
      if (const auto value = program_value(cell, bits_))
        row.push_back(*value);
      else
        row.push_back(nullptr);
      cell.clear();
    };
    for (; at_ < text_.size(); ++at_) {
      const char c = text_[at_];
      const bool slashes = c == '/' && at_ + 1 < text_.size() && text_[at_ + 1] == '/';
      if (c == '#' || c == '%' || slashes) {  // A remark to the line's end.
        at_ = std::min(text_.size(), text_.find('\n', at_)) - 1;
        continue;
      }
      if (c == '/' && at_ + 1 < text_.size() && text_[at_ + 1] == '*') {
        at_ = std::min(text_.size(), text_.find("*/", at_)) + 1;
        continue;
      }
      if (std::string_view(",; \t\r\n{}[]()").find(c) == std::string_view::npos) {
        cell += c;
        continue;
      }
      end_cell();
      commas = commas || c == ',';
      if (c == '{' || c == '[' || c == '(') {
        if (++depth > 1) end_row(), parted = true;
      } else if (c == '}' || c == ']' || c == ')') {
        if (--depth > 0) end_row();
      } else if (c == ';' || (c == '\n' && !commas && !parted)) {
        end_row();  // A matrix's rows are its lines, unless commas say that a list goes on.
      }
      if (depth == 0) break;
    }
    ++at_;
    end_row();
    // A column is a list; so are lines of a list that goes on.
    const bool columns =
        std::any_of(rows.begin(), rows.end(), [](const Document& r) { return r.size() > 1; });
    if (rows.size() == 1) return rows[0];
    if (columns) return Document(std::move(rows));
    Document out = Document::array();
    for (Document& r : rows) out.push_back(std::move(r[0]));
    return out;
  }

  std::string_view text_;
  std::size_t at_ = 0;
  int bits_ = 0;  ///< Of the array in hand.
};

}  // namespace

bool recognises_program(const FileHead& head) {
  if (head.size <= most_program_bytes && has_labelled_arrays(head.bytes)) return true;
  if (head.size > most_program_bytes || !is_program_text(program_lines(head.bytes, 400), true)) return false;
  if (openings(head.bytes) > 1) return true;
  if (head.bytes.size() >= head.size) return false;
  InputFile file(head.path);
  return openings(file.text(0, static_cast<std::size_t>(file.size()))) > 1;
}

std::unique_ptr<SampleSource> open_program(const FileHead& head, const ReadSettings& settings) {
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  const std::string text = file.text(0, static_cast<std::size_t>(file.size()));
  std::vector<std::string> left_out;
  const Document document =
      has_labelled_arrays(text) ? labelled_arrays(text, left_out) : Reader(text).read(left_out);
  return open_document(head, settings, "program text", document, std::move(left_out));
}

}  // namespace vprism
