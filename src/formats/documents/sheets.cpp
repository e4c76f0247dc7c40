// sheets.cpp: see sheets.h. Sheets as text, and which of their tables is read.
#include "formats/documents/sheets.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/error.h"
#include "base/text.h"
#include "formats/containers.h"
#include "formats/documents/html_tables.h"
#include "formats/made_once.h"
#include "formats/named_source.h"

namespace vprism {

void SheetWriter::fail(const std::string& why) const { throw Error(Status::input, file_ + ": " + why); }

void SheetWriter::begin(const std::string& name) {
  const std::string path = folder_ + "/sheet-" + std::to_string(sheets_.size() + 1) + ".txt";
  out_ = std::make_unique<OutputFile>(path);
  sheets_.push_back({clean_text(name, 80), path});
  row_ = column_ = 0;
  line_.clear();
}

void SheetWriter::cell(std::int64_t row, std::int64_t column, std::string_view text, bool number,
                       std::int64_t columns) {
  text = trimmed(text);
  if (text.empty()) return;
  if (row < row_ || row >= most_rows || column < 0 || column >= most_columns ||
      (row == row_ && column < column_))
    fail("damaged: cell " + std::to_string(column + 1) + " of row " + std::to_string(row + 1) +
         " of the sheet \"" + sheets_.back().name + "\" is out of its place; save it again");
  if (row > row_) {
    line_.append(static_cast<std::size_t>(row - row_), '\n');
    row_ = row, column_ = 0;
  }
  line_.append(static_cast<std::size_t>(column - column_), '\t');
  column_ = column;
  for (const char c : text) line_ += c == '"' ? '\'' : static_cast<unsigned char>(c) < ' ' ? ' ' : c;
  line_.append(static_cast<std::size_t>(columns - 1), '\t');
  column_ += columns - 1;
  SheetText& sheet = sheets_.back();
  sheet.rows = row + 1;
  ++(number ? sheet.numbers : sheet.texts);
  if (line_.size() < (1 << 16)) return;
  bytes_ += line_.size();
  if (bytes_ > most_bytes) fail("its sheets hold more than 8 GB of text; save them as files of their own");
  out_->write(line_);
  line_.clear();
}

void SheetWriter::end() {
  line_ += '\n';
  out_->write(line_);
  out_->finish();
  out_.reset();
  line_.clear();
}

DayForm DayForm::of(std::string_view format) {
  DayForm form;
  // Only what stands for positive numbers, without quoted words.
  for (std::size_t i = 0; i < format.size() && format[i] != ';'; ++i) {
    const char c = static_cast<char>(std::tolower(static_cast<unsigned char>(format[i])));
    if (c == '\\' || c == '_' || c == '*') {
      ++i;
    } else if (c == '"') {
      i = std::min(format.find('"', i + 1), format.size());
    } else if (c == '[') {
      const std::size_t end = std::min(format.find(']', i), format.size());
      const std::string inner = lower_case(format.substr(i + 1, end - i - 1));
      if (!inner.empty() && inner.find_first_not_of("hms") == std::string::npos) form.elapsed = true;
      i = end;
    } else if (c == 'y' || c == 'd') {
      form.date = true;
    } else if (c == 'h' || c == 's') {
      form.time = true;
    } else if (c == 'e' && i + 1 < format.size() && (format[i + 1] == '+' || format[i + 1] == '-')) {
      return {};  // 0.00E+00
    } else if (c == 'g' && lower_case(format.substr(i, 7)) == "general") {
      return {};
    }
  }
  if (!form.is_one() && format.find_first_of("mM") != std::string_view::npos &&
      format.find_first_of("0#?") == std::string_view::npos)
    form.date = true;  // "mmmm"
  return form;
}

std::string DayForm::text(double days, bool epoch_1904) const {
  constexpr double most_days = 2958466;  // The year 10000.
  if (!(days >= 0 && days < most_days)) return fmt::format("{}", days);
  auto us = static_cast<std::int64_t>(std::llround(days * 86400e6));
  constexpr std::int64_t day_us = 86'400'000'000;
  // A time of day whose number holds a date as well tells both.
  const bool dated = date || (!elapsed && days >= 366);
  const auto clock = [&](std::int64_t of_day) {
    std::string out = fmt::format("{:02}:{:02}:{:02}", of_day / 3'600'000'000, of_day / 60'000'000 % 60,
                                  of_day / 1'000'000 % 60);
    if (const std::int64_t fraction = of_day % 1'000'000; fraction != 0) {
      out += fmt::format(".{:06}", fraction);
      out.erase(out.find_last_not_of('0') + 1);
    }
    return out;
  };
  if (!dated) return clock(us);
  std::int64_t day = us / day_us;
  us %= day_us;
  // Days since 1970; before the day that never was, one less.
  day -= epoch_1904 ? 24107 : day >= 60 ? 25569 : 25568;
  // Civil date from days, by eras of 400 years that begin in March.
  const std::int64_t z = day + 719468, era = z / 146097, of_era = z - era * 146097;
  const std::int64_t year_of_era = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
  const std::int64_t of_year = of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const std::int64_t mp = (5 * of_year + 2) / 153, d = of_year - (153 * mp + 2) / 5 + 1;
  const std::int64_t m = mp < 10 ? mp + 3 : mp - 9, y = year_of_era + era * 400 + (m <= 2 ? 1 : 0);
  std::string out = fmt::format("{:04}-{:02}-{:02}", y, m, d);
  if (time || us != 0) out += " " + clock(us);
  return out;
}

namespace {

/// A table that can be read: a sheet, and one of its own parts where it has several.
struct Choice {
  std::size_t sheet = 0, part = 0;
  bool several = false;
};

ReadSettings inner_settings(const ReadSettings& settings, const Choice& choice) {
  ReadSettings inner = settings;
  inner.digest = nullptr;
  if (inner.delimiter == 0) inner.delimiter = '\t';
  inner.part = choice.several ? std::to_string(choice.part + 1) : "";
  return inner;
}

std::unique_ptr<SampleSource> open_sheet(const SheetText& sheet, const FileHead& head,
                                         const ReadSettings& settings) {
  return renamed(sheet.path, head.path, [&] { return open_delimited(read_head(sheet.path), settings); });
}

/// All tables of the sheets; why there are none in the others.
std::vector<Choice> choices_in(const std::vector<SheetText>& sheets, const FileHead& head,
                               const ReadSettings& settings, std::vector<Part>& parts,
                               std::vector<std::string>& left_out) {
  std::vector<Choice> out;
  std::optional<Error> asked;
  for (std::size_t s = 0; s < sheets.size(); ++s) {
    const SheetText& sheet = sheets[s];
    if (sheet.numbers < 2) {
      if (sheet.numbers + sheet.texts > 0) left_out.push_back(sheet.name + " (no table of numbers)");
      continue;
    }
    try {
      const auto source = open_sheet(sheet, head, inner_settings(settings, {s, 0, false}));
      const std::vector<Part>& inner = source->recording().parts;
      const std::string size = std::to_string(sheet.rows) + " rows";
      if (inner.size() < 2) {
        out.push_back({s, 0, false});
        parts.push_back({sheet.name, size});
      }
      for (std::size_t p = 0; inner.size() >= 2 && p < inner.size(); ++p) {
        out.push_back({s, p, true});
        parts.push_back({sheet.name + ": " + inner[p].name, inner[p].what});
      }
    } catch (const Error& error) {
      // The only one with numbers: why it can't be read is what has to be said.
      const auto with_numbers = std::count_if(sheets.begin(), sheets.end(),
                                              [](const SheetText& other) { return other.numbers >= 2; });
      if (with_numbers == 1) throw;
      // Columns that are asked for may be those of another sheet.
      if (error.status() == Status::usage && !asked) asked = error;
      const std::string why = error.what();
      left_out.push_back(sheet.name + " (" +
                         (starts_with(why, head.path) ? why.substr(head.path.size() + 1) : why) + ")");
    }
  }
  if (out.empty() && asked) throw *asked;
  return out;
}

std::unique_ptr<SampleSource> open_sheets(const FileHead& head, const ReadSettings& settings,
                                          const std::vector<SheetText>& sheets, const std::string& kind) {
  std::vector<Part> parts;
  std::vector<std::string> left_out;
  const std::vector<Choice> choices = choices_in(sheets, head, settings, parts, left_out);
  if (choices.empty())
    throw Error(Status::input, head.path + ": no table of numbers in this " + kind +
                                   (left_out.empty() ? "" : ": " + left_out.front()) +
                                   "; export what is to be read");
  std::size_t standard = 0;
  for (std::size_t k = 1; k < choices.size(); ++k)
    if (sheets[choices[k].sheet].numbers > sheets[choices[standard].sheet].numbers) standard = k;
  const std::size_t chosen = choose_part(head.path, parts, settings, standard);
  const SheetText& sheet = sheets[choices[chosen].sheet];
  auto source = open_sheet(sheet, head, inner_settings(settings, choices[chosen]));
  std::vector<Caution> cautions;
  if (!left_out.empty())
    cautions.push_back({"sheets-left-out", Severity::note, "",
                        std::to_string(left_out.size()) + (left_out.size() == 1 ? " sheet" : " sheets") +
                            " left out: " + quoted_names(left_out, 4),
                        "look at the file if one of them holds samples"});
  const std::string form = kind + ", " + (kind == "page" ? "table" : "sheet") + " \"" + sheet.name + "\"";
  const auto amend = [=, shown = parts.size() > 1 ? parts : std::vector<Part>()](Recording& recording) {
    const std::size_t rest = recording.format.find(", data from line ");
    recording.format =
        form + (rest == std::string::npos ? "" : ", data from row " + recording.format.substr(rest + 17));
    recording.parts = shown;
    recording.part = shown.empty() ? 0 : chosen;
    recording.cautions.insert(recording.cautions.begin(), cautions.begin(), cautions.end());
  };
  return std::make_unique<NamedSource>(std::move(source), sheet.path, head.path, amend);
}

template <typename Write>
std::vector<SheetText> sheets_of(const FileHead& head, Write write) {
  static MadeOnce<std::vector<SheetText>> made;
  return made.of(head.path, "sheets", [&](const std::string& folder) {
    SheetWriter writer(head.path, folder);
    write(writer);
    return writer.take();
  });
}

constexpr std::string_view one_xml_file = "urn:schemas-microsoft-com:office:spreadsheet",
                           open_in_one_file = "vnd.oasis.opendocument.spreadsheet",
                           old_binary = "\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1";

}  // namespace

bool recognises_workbook(const FileHead& head) {
  if (starts_with(head.bytes, old_binary)) return true;
  if (starts_with(head.bytes, "PK\x03\x04"))
    return head.bytes.find("[Content_Types].xml") != std::string::npos ||
           head.bytes.find("xl/workbook") != std::string::npos ||
           head.bytes.find("mimetypeapplication/vnd.oasis.opendocument") != std::string::npos;
  const std::string_view top = std::string_view(head.bytes).substr(0, 8192);
  return top.find("<?xml") != std::string_view::npos &&
         (top.find(one_xml_file) != std::string_view::npos ||
          top.find(open_in_one_file) != std::string_view::npos);
}

std::unique_ptr<SampleSource> open_workbook(const FileHead& head, const ReadSettings& settings) {
  if (starts_with(head.bytes, old_binary))
    throw Error(Status::input,
                head.path +
                    ": a document of the old binary layout (.xls and others), which is not read; "
                    "save it as .xlsx, .ods or text");
  return open_sheets(head, settings,
                     sheets_of(head, [&](SheetWriter& writer) { write_workbook_sheets(head, writer); }),
                     "workbook");
}

std::unique_ptr<SampleSource> open_page(const FileHead& head, const ReadSettings& settings) {
  return open_sheets(head, settings,
                     sheets_of(head, [&](SheetWriter& writer) { write_page_tables(head, writer); }), "page");
}

}  // namespace vprism
