// other_dialects.cpp: see other_dialects.h.
#include "formats/text/cells/other_dialects.h"

#include "base/error.h"
#include "base/text.h"
#include "formats/text/cells/burst_rows.h"
#include "formats/text/cells/hex_lines.h"
#include "formats/text/cells/insert_rows.h"
#include "formats/text/cells/stepped_lines.h"
#include "formats/text/rows/row_kinds.h"

namespace vprism {

namespace {

LineDialect dialect_by(LineRewriter by) {
  LineDialect out;
  out.kind = LineDialect::Kind::other, out.delimiter = '\t', out.by = std::move(by);
  return out;
}

/// "[0.01, 1.5, 0.3]": a list in each line.
std::string_view inside_brackets(std::string_view line) {
  line = trimmed(line);
  if (!line.empty() && line.back() == ',') line = trimmed(line.substr(0, line.size() - 1));
  if (line.size() < 5 || line.front() != '[' || line.back() != ']') return {};
  line = line.substr(1, line.size() - 2);
  return line.find_first_of("[]{}\"") == std::string_view::npos ? line : std::string_view();
}

bool are_lists(const std::vector<std::string_view>& lines) {
  std::size_t all = 0, lists = 0, commas = 0;
  for (const std::string_view line : lines) {
    const std::string_view inside = inside_brackets(line);
    all += trimmed(line).empty() ? 0 : 1, lists += inside.empty() ? 0 : 1;
    commas += inside.find(',') != std::string_view::npos ? 1 : 0;
  }
  return lists >= 3 && 10 * lists >= 9 * all && commas == lists;
}

}  // namespace

std::optional<LineDialect> other_dialect_of(const std::vector<std::string_view>& lines,
                                            const ReadSettings& settings, const std::string& file) {
  if (settings.delimiter == 0)
    if (const InsertRows inserts = InsertRows::found_in(lines); !inserts.table.empty()) {
      LineDialect out = dialect_by({});
      out.by = inserts.rewriter(out.strange);
      out.keys = inserts.names;
      if (const auto others = inserts.other_tables(lines); !others.empty())
        out.cautions.push_back({"tables", Severity::warning, "",
                                "rows of several tables: those of \"" + inserts.table +
                                    "\" are read, not those of " + quoted_names(others, 4),
                                "write out the others by themselves"});
      return out;
    }
  if (const auto stepped = SteppedLines::found_in(lines); stepped && settings.delimiter == 0) {
    if (stepped->packed_line > 0)
      throw Error(Status::input,
                  file + ":" + std::to_string(stepped->packed_line) +
                      ": packed ordinates, with letters for digits; export it with plain numbers");
    return dialect_by(stepped->rewriter());
  }
  if (const auto rows = RowKinds::found_in(lines, settings.delimiter)) {
    std::vector<Part> parts;
    std::vector<std::string> names;
    for (const RowKinds::Kind& kind : rows->kinds)
      parts.push_back({kind.name, "rows that begin so, " + std::to_string(kind.cells - 1) + " cells"}),
          names.push_back(kind.name);
    const std::size_t part = choose_part(file, parts, settings, rows->fullest);
    LineDialect out = dialect_by({});
    out.by = rows->rewriter(part, out.strange);
    out.delimiter = rows->delimiter, out.parts = std::move(parts), out.part = part;
    if (settings.part.empty())
      out.cautions.push_back(
          {"rows-named", Severity::note, "",
           "rows of several kinds (" + quoted_names(names, 6) + "): \"" + names[part] + "\" is taken",
           "choose another with --part; inspect lists them"});
    return out;
  }
  const bool plain = !settings.rows && !settings.no_rows && !settings.header_rows &&
                     settings.columns.empty() && settings.axis.empty();
  if (plain)
    if (const auto bursts = BurstRows::found_in(lines, settings.delimiter)) {
      LineDialect out = dialect_by(bursts->rewriter());
      out.cautions.push_back({"values-in-lines", Severity::warning, "",
                              "each row holds " + std::to_string(bursts->samples) +
                                  " samples of one channel, \"" + clean_text(bursts->name, 40) +
                                  "\": from the last of a row to the first of the next they change as "
                                  "within a row",
                              "--no-rows takes each column as a channel"});
      return out;
    }
  if (settings.delimiter == 0 && are_lists(lines)) {
    LineDialect out = dialect_by([](std::string_view line, std::string& to) {
      const std::string_view inside = inside_brackets(line);
      to += inside.empty() ? line : inside;
      if (!inside.empty()) to += '\n';
    });
    out.delimiter = ',';
    return out;
  }
  if (settings.delimiter == 0 && plain && are_hex_lines(lines)) {
    LineDialect out = dialect_by(rewrite_hex_line);
    out.cautions.push_back(
        {"hex-numbers", Severity::warning, "",
         "the lines hold digits of sixteen: they are taken as whole numbers without a sign",
         "--compute 'NAME = ...' makes others of them"});
    return out;
  }
  return {};
}

}  // namespace vprism
