// workbook.cpp: the sheets of workbooks: ISO/IEC 29500-1 (SpreadsheetML in a ZIP archive), ISO/IEC 26300
// (OpenDocument spreadsheets), and workbooks in one XML file. Read as a stream, with expat: a sheet of a
// million rows takes no more memory than one of ten; only the texts that cells share are held.
#include <fast_float/fast_float.h>

#include <algorithm>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "containers/packages/entries.h"
#include "containers/packages/workbook_parts.h"

namespace vprism {

namespace {

/// Column of "BC12", from 0; -1 without letters.
std::int64_t column_of(std::string_view place) {
  std::int64_t column = 0;
  std::size_t i = 0;
  for (; i < place.size() && i < 4 && place[i] >= 'A' && place[i] <= 'Z'; ++i)
    column = 26 * column + (place[i] - 'A' + 1);
  return i == 0 ? -1 : column - 1;
}

bool read_number(std::string_view text, double& value) {
  const auto [end, code] = fast_float::from_chars(text.data(), text.data() + text.size(), value);
  return code == std::errc() && end == text.data() + text.size();
}

struct Sheet {
  std::string name, place;
};

/// What stands beside the sheets of an archive.
struct Book {
  std::vector<Sheet> sheets;
  bool epoch_1904 = false;
  std::vector<DayForm> styles;
  std::vector<std::string> shared;
};

/// Number formats that every reader knows (ISO/IEC 29500-1, 18.8.30).
DayForm known_format(int number) {
  const bool date = (number >= 14 && number <= 17) || number == 22 || (number >= 27 && number <= 31) ||
                    number == 36 || (number >= 50 && number <= 58);
  const bool time =
      (number >= 18 && number <= 22) || (number >= 32 && number <= 35) || number == 45 || number == 47;
  return {date, time, number == 46};
}

/// xl/workbook.xml with the places of its sheets.
class BookHandler : public XmlHandler {
 public:
  explicit BookHandler(Book& book) : book_(book) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    if (name == "workbookPr") book_.epoch_1904 = with["date1904"] == "1" || with["date1904"] == "true";
    if (name == "sheet") book_.sheets.push_back({std::string(with["name"]), std::string(with["id"])});
  }

 private:
  Book& book_;
};

class RelationHandler : public XmlHandler {
 public:
  explicit RelationHandler(Book& book) : book_(book) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    if (name != "Relationship" || with["TargetMode"] == "External") return;
    const std::string target(with["Target"]);
    for (Sheet& sheet : book_.sheets)
      if (sheet.place == with["Id"])
        sheet.place = starts_with(target, "/") ? target.substr(1) : "xl/" + target;
  }

 private:
  Book& book_;
};

class StyleHandler : public XmlHandler {
 public:
  explicit StyleHandler(Book& book) : book_(book) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    if (name == "numFmt") own_[number_in(with["numFmtId"])] = DayForm::of(with["formatCode"]);
    if (name == "cellXfs") inside_ = true;
    if (name == "xf" && inside_) {
      const auto number = number_in(with["numFmtId"]);
      const auto found = own_.find(number);
      book_.styles.push_back(found != own_.end() ? found->second : known_format(static_cast<int>(number)));
    }
  }
  void end(std::string_view name) override {
    if (name == "cellXfs") inside_ = false;
  }

 private:
  Book& book_;
  std::map<std::int64_t, DayForm> own_;
  bool inside_ = false;
};

class SharedHandler : public XmlHandler {
 public:
  SharedHandler(Book& book, const SheetWriter& writer) : book_(book), writer_(writer) {}
  void start(std::string_view name, const XmlAttributes&) override {
    if (name == "si") book_.shared.emplace_back();
    if (name == "rPh") aside_ = true;
    if (name == "t" && !aside_) inside_ = true;
  }
  void end(std::string_view name) override {
    if (name == "t") inside_ = false;
    if (name == "rPh") aside_ = false;
  }
  void text(std::string_view words) override {
    if (!inside_ || book_.shared.empty()) return;
    held_ += words.size();
    if (held_ > (std::size_t{256} << 20)) writer_.fail("more than 256 MB of words in its cells");
    book_.shared.back() += words;
  }

 private:
  Book& book_;
  const SheetWriter& writer_;
  std::size_t held_ = 0;
  bool inside_ = false, aside_ = false;
};

/// One sheet's cells.
class SheetHandler : public XmlHandler {
 public:
  SheetHandler(const Book& book, SheetWriter& writer) : book_(book), writer_(writer) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    if (name == "row") {
      const std::int64_t number = number_in(with["r"]);
      row_ = number > 0 ? number - 1 : row_ + 1;
      column_ = -1;
    } else if (name == "c") {
      const std::int64_t column = column_of(with["r"]);
      column_ = column >= 0 ? column : column_ + 1;
      type_ = with["t"];
      style_ = static_cast<std::size_t>(std::max<std::int64_t>(0, number_in(with["s"])));
      value_.clear();
    } else if (name == "v" || name == "t") {
      inside_ = true;
    } else if (name == "rPh") {
      aside_ = true;
    }
  }
  void text(std::string_view words) override {
    if (inside_ && !aside_ && value_.size() < (1 << 16)) value_ += words;
  }
  void end(std::string_view name) override {
    if (name == "v" || name == "t") inside_ = false;
    if (name == "rPh") aside_ = false;
    if (name == "c") put();
  }

 private:
  void put() {
    if (value_.empty()) return;
    if (type_ == "s") {
      const std::int64_t which = number_in(value_);
      if (which < 0 || which >= static_cast<std::int64_t>(book_.shared.size()))
        writer_.fail("damaged: a cell names text " + clean_text(value_, 20) + " of " +
                     std::to_string(book_.shared.size()) + "; save it again");
      return writer_.cell(row_, column_, book_.shared[static_cast<std::size_t>(which)], false);
    }
    if (type_ == "str" || type_ == "inlineStr") return writer_.cell(row_, column_, value_, false);
    if (type_ == "e") return writer_.cell(row_, column_, "nan", false);
    if (type_ == "d") {
      std::replace(value_.begin(), value_.end(), 'T', ' ');
      return writer_.cell(row_, column_, value_, true);
    }
    const DayForm form = style_ < book_.styles.size() ? book_.styles[style_] : DayForm();
    double days = 0;
    if (form.is_one() && type_ != "b" && read_number(value_, days))
      return writer_.cell(row_, column_, form.text(days, book_.epoch_1904), true);
    writer_.cell(row_, column_, value_, true);
  }

  const Book& book_;
  SheetWriter& writer_;
  std::int64_t row_ = -1, column_ = -1;
  std::string type_, value_;
  std::size_t style_ = 0;
  bool inside_ = false, aside_ = false;
};

void write_office_sheets(ZipParts& archive, SheetWriter& writer) {
  if (archive.has("xl/workbook.bin"))
    writer.fail("a binary workbook, whose layout is not open; save it as .xlsx or as text");
  if (!archive.has("xl/workbook.xml")) writer.fail("a document without sheets; export its table as text");
  Book book;
  BookHandler sheets(book);
  archive.parse("xl/workbook.xml", sheets);
  RelationHandler places(book);
  archive.parse("xl/_rels/workbook.xml.rels", places);
  StyleHandler styles(book);
  if (archive.has("xl/styles.xml")) archive.parse("xl/styles.xml", styles);
  SharedHandler words(book, writer);
  if (archive.has("xl/sharedStrings.xml")) archive.parse("xl/sharedStrings.xml", words);
  for (const Sheet& sheet : book.sheets) {
    if (!starts_with(sheet.place, "xl/worksheets/") || !archive.has(sheet.place)) continue;  // Charts.
    writer.begin(sheet.name);
    SheetHandler cells(book, writer);
    archive.parse(sheet.place, cells);
    writer.end();
  }
}

/// content.xml of an OpenDocument spreadsheet.
class OpenHandler : public XmlHandler {
 public:
  explicit OpenHandler(SheetWriter& writer) : writer_(writer) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    if (name == "table") {
      // A table within a cell is none of ours.
      if (depth_++ == 0) writer_.begin(std::string(with["name"])), row_ = 0;
    } else if (depth_ != 1) {
      return;
    } else if (name == "table-row") {
      column_ = 0;
      rows_ = repeated(with["number-rows-repeated"]);
      cells_.clear();
    } else if (name == "table-cell" || name == "covered-table-cell") {
      columns_ = repeated(with["number-columns-repeated"]);
      take_value(with);
    } else if (name == "annotation") {
      aside_ = true;
    } else if (name == "p") {
      if (!cell_.empty() && words_wanted_) cell_ += ' ';
      inside_ = true;
    } else if (name == "s" && inside_ && words_wanted_) {
      cell_ += ' ';
    }
  }
  void text(std::string_view words) override {
    if (inside_ && !aside_ && words_wanted_ && cell_.size() < (1 << 16)) cell_ += words;
  }
  void end(std::string_view name) override {
    if (name == "table") {
      if (--depth_ == 0) writer_.end();
    } else if (depth_ != 1) {
      return;
    } else if (name == "p") {
      inside_ = false;
    } else if (name == "annotation") {
      aside_ = false;
    } else if (name == "table-cell" || name == "covered-table-cell") {
      if (!cell_.empty()) {
        if (columns_ > SheetWriter::most_columns) writer_.fail("a row of more than 16,384 cells");
        for (std::int64_t k = 0; k < columns_; ++k) cells_.push_back({column_ + k, cell_, number_});
      }
      column_ += columns_;
    } else if (name == "table-row") {
      if (!cells_.empty() && rows_ > SheetWriter::most_rows) writer_.fail("more than 16 million rows");
      for (std::int64_t k = 0; k < rows_ && !cells_.empty(); ++k)
        for (const Cell& cell : cells_) writer_.cell(row_ + k, cell.column, cell.text, cell.number);
      row_ += rows_;
    }
  }

 private:
  struct Cell {
    std::int64_t column;
    std::string text;
    bool number;
  };
  static std::int64_t repeated(std::string_view text) { return std::max<std::int64_t>(1, number_in(text)); }

  void take_value(const XmlAttributes& with) {
    const std::string_view type = with["value-type"];
    cell_.clear();
    words_wanted_ = false, number_ = true;
    if (type == "float" || type == "percentage" || type == "currency") {
      cell_ = with["value"];
    } else if (type == "date") {
      cell_ = with["date-value"];
      std::replace(cell_.begin(), cell_.end(), 'T', ' ');
    } else if (type == "time") {
      cell_ = clock_of(with["time-value"]);
    } else if (type == "boolean") {
      cell_ = with["boolean-value"] == "true" ? "1" : "0";
    } else {
      words_wanted_ = true, number_ = false;
    }
  }

  /// "PT12H34M56.789S" as "12:34:56.789".
  static std::string clock_of(std::string_view text) {
    std::string out;
    for (const char mark : {'H', 'M', 'S'}) {
      const std::size_t end = text.find(mark);
      std::string_view digits = end == std::string_view::npos ? "0" : text.substr(0, end);
      digits.remove_prefix(std::min(digits.size(), digits.find_last_not_of("0123456789.") + 1));
      const std::size_t whole = std::min(digits.find('.'), digits.size());
      out += (out.empty() ? "" : ":") + std::string(whole < 2 ? 2 - whole : 0, '0') + std::string(digits);
    }
    return out;
  }

  SheetWriter& writer_;
  int depth_ = 0;
  std::int64_t row_ = 0, rows_ = 1, column_ = 0, columns_ = 1;
  std::string cell_;
  std::vector<Cell> cells_;
  bool number_ = false, words_wanted_ = false, inside_ = false, aside_ = false;
};

/// A workbook in one XML file.
class OneFileHandler : public XmlHandler {
 public:
  explicit OneFileHandler(SheetWriter& writer) : writer_(writer) {}
  void start(std::string_view name, const XmlAttributes& with) override {
    const std::int64_t index = number_in(with["Index"]);
    if (name == "Worksheet") {
      writer_.begin(std::string(with["Name"]));
      row_ = -1;
      open_ = true;
    } else if (name == "Row") {
      row_ = index > 0 ? index - 1 : row_ + 1;
      column_ = -1;
    } else if (name == "Cell") {
      column_ = index > 0 ? index - 1 : column_ + 1;
      across_ = std::max<std::int64_t>(0, number_in(with["MergeAcross"]));
    } else if (name == "Data") {
      type_ = with["Type"];
      value_.clear();
      inside_ = open_;
    }
  }
  void text(std::string_view words) override {
    if (inside_ && value_.size() < (1 << 16)) value_ += words;
  }
  void end(std::string_view name) override {
    if (name == "Data" && inside_) {
      inside_ = false;
      if (type_ == "DateTime") std::replace(value_.begin(), value_.end(), 'T', ' ');
      if (type_ == "Error") value_ = "nan";
      writer_.cell(row_, column_, value_, type_ != "String" && type_ != "Error");
    } else if (name == "Cell") {
      column_ += across_;
    } else if (name == "Worksheet" && open_) {
      writer_.end();
      open_ = false;
    }
  }

 private:
  SheetWriter& writer_;
  std::int64_t row_ = -1, column_ = -1, across_ = 0;
  std::string type_, value_;
  bool open_ = false, inside_ = false;
};

}  // namespace

void write_workbook_sheets_of_file(const FileHead& head, SheetWriter& writer) {
  if (!starts_with(head.bytes, "PK\x03\x04")) {
    if (head.bytes.find("vnd.oasis.opendocument.spreadsheet") < 8192) {
      OpenHandler cells(writer);
      return parse_xml_file(head.path, cells);
    }
    OneFileHandler cells(writer);
    return parse_xml_file(head.path, cells);
  }
  ZipParts archive(head.path);
  if (!archive.has("content.xml")) return write_office_sheets(archive, writer);
  OpenHandler cells(writer);
  archive.parse("content.xml", cells);
  if (writer.sheets().empty()) writer.fail("a document without sheets; export its table as text");
}

}  // namespace vprism
