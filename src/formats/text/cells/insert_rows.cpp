// insert_rows.cpp: see insert_rows.h.
#include "formats/text/cells/insert_rows.h"

#include <algorithm>
#include <map>
#include <optional>

#include "base/text.h"

namespace vprism {

namespace {

bool takes_word(std::string_view& text, std::string_view word) {
  text = trimmed(text);
  if (text.size() < word.size() || lower_case(text.substr(0, word.size())) != word) return false;
  const std::string_view rest = text.substr(word.size());
  if (!rest.empty() && ((rest[0] | 32) >= 'a' && (rest[0] | 32) <= 'z')) return false;
  text = trimmed(rest);
  return true;
}

/// A name, bare or in "..", `..` or [..]; one of several parts by its last: "main"."scan".
std::string takes_name(std::string_view& text) {
  std::string name;
  for (;;) {
    text = trimmed(text);
    if (text.empty()) return name;
    const char open = text[0], close = open == '[' ? ']' : open;
    std::size_t end = 0;
    if (open == '"' || open == '`' || open == '[' || open == '\'') {
      end = text.find(close, 1);
      if (end == std::string_view::npos) return "";
      name = clean_text(text.substr(1, end - 1));
      ++end;
    } else {
      end = std::min(text.find_first_of(" \t(),;.\r\n"), text.size());
      name = clean_text(text.substr(0, end));
    }
    text = text.substr(end);
    if (text.empty() || text[0] != '.') return name;
    text.remove_prefix(1);
  }
}

/// The cells of "(a, 'b, c', 1.5)", and what stands behind it.
std::vector<std::string> takes_group(std::string_view& text) {
  std::vector<std::string> out;
  text = trimmed(text);
  if (text.empty() || text[0] != '(') return out;
  std::string cell;
  bool quoted = false;
  int depth = 1;
  for (std::size_t i = 1; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\'') quoted = !quoted;
    if (!quoted && c == '(') ++depth;
    if (!quoted && c == ')' && --depth == 0) {
      out.emplace_back(trimmed(cell));
      text = text.substr(i + 1);
      return out;
    }
    if (!quoted && depth == 1 && c == ',')
      out.emplace_back(trimmed(cell)), cell.clear();
    else
      cell += c;
  }
  return {};  // Goes on in another line.
}

struct InsertStatement {
  std::string table;
  std::vector<std::string> names;
  std::string_view values;
};

std::optional<InsertStatement> insert_of(std::string_view line) {
  if (!takes_word(line, "insert") && !takes_word(line, "replace")) return {};
  if (takes_word(line, "or") || takes_word(line, "ignore")) (void)takes_name(line);
  if (!takes_word(line, "into")) return {};
  InsertStatement out;
  out.table = takes_name(line);
  line = trimmed(line);
  if (!line.empty() && line[0] == '(') {
    for (const std::string& cell : takes_group(line)) {
      std::string_view name = cell;
      out.names.push_back(takes_name(name));
    }
  }
  if (out.table.empty() || !takes_word(line, "values")) return {};
  out.values = line;
  return out;
}

/// The names of "CREATE TABLE scan (t REAL, u REAL NOT NULL, PRIMARY KEY (t));", over several lines.
std::vector<std::string> created_names(const std::vector<std::string_view>& lines, const std::string& table) {
  for (std::size_t i = 0; i < lines.size(); ++i) {
    std::string_view line = lines[i];
    if (!takes_word(line, "create")) continue;
    (void)(takes_word(line, "temporary") || takes_word(line, "temp"));
    if (!takes_word(line, "table")) continue;
    if (takes_word(line, "if")) (void)(takes_word(line, "not") && takes_word(line, "exists"));
    if (takes_name(line) != table) continue;
    std::string whole(line);
    constexpr std::size_t most_lines = 5000;
    std::vector<std::string> cells;
    for (std::size_t n = i + 1;; ++n) {
      std::string_view group = whole;
      cells = takes_group(group);
      if (!cells.empty() || n == lines.size() || n > i + most_lines) break;
      whole += ' ';
      whole += trimmed(lines[n]);
    }
    std::vector<std::string> out;
    for (const std::string& cell : cells) {
      std::string_view name = cell;
      const std::string word = lower_case(cell.substr(0, cell.find_first_of(" \t(")));
      if (word == "primary" || word == "unique" || word == "key" || word == "constraint" ||
          word == "foreign" || word == "check" || word == "index")
        continue;
      out.push_back(takes_name(name));
    }
    return out;
  }
  return {};
}

/// A cell without its quotation marks; nothing for NULL.
std::string inserted_cell(const std::string& cell) {
  if (lower_case(cell) == "null") return "";
  if (cell.size() >= 2 && cell.front() == '\'' && cell.back() == '\'')
    return clean_text(cell.substr(1, cell.size() - 2));
  return cell;
}

/// Nothing but groups, as behind a statement that goes on.
bool is_of_groups(std::string_view text) {
  text = trimmed(text);
  bool any = false;
  while (!text.empty() && text[0] == '(') {
    if (takes_group(text).empty()) return false;
    any = true;
    text = trimmed(text);
    if (!text.empty() && (text[0] == ',' || text[0] == ';')) text = trimmed(text.substr(1));
  }
  return any && text.empty();
}

}  // namespace

InsertRows InsertRows::found_in(const std::vector<std::string_view>& lines) {
  InsertRows out;
  std::map<std::string, std::size_t> rows;
  std::string current;
  std::size_t others = 0;
  std::map<std::string, std::vector<std::string>> named;
  for (const std::string_view line : lines) {
    if (const auto statement = insert_of(line)) {
      current = statement->table;
      rows[current] +=
          1 + static_cast<std::size_t>(std::count(statement->values.begin(), statement->values.end(), '('));
      if (!statement->names.empty()) named[current] = statement->names;
    } else if (!current.empty() && is_of_groups(line)) {
      ++rows[current];
    } else if (!trimmed(line).empty()) {
      ++others;
    }
  }
  std::size_t most = 0, all = 0;
  for (const auto& [table, count] : rows) {
    all += count;
    if (count > most) most = count, out.table = table;
  }
  // A dump has a few lines beside its rows.
  if (all < 3 || all < others) return {};
  out.names = named.count(out.table) > 0 ? named[out.table] : created_names(lines, out.table);
  if (out.names.empty()) out.table.clear();
  return out;
}

std::vector<std::string> InsertRows::other_tables(const std::vector<std::string_view>& lines) const {
  std::vector<std::string> out;
  for (const std::string_view line : lines)
    if (const auto statement = insert_of(line);
        statement && statement->table != table &&
        std::find(out.begin(), out.end(), statement->table) == out.end())
      out.push_back(statement->table);
  return out;
}

LineRewriter InsertRows::rewriter(std::shared_ptr<std::set<std::string>> strange) const {
  return [wanted = table, strange, own = true](std::string_view line, std::string& out) mutable {
    constexpr std::size_t most_named = 8;
    const auto left_out = [&](const std::string& what) {
      if (strange->size() < most_named) strange->insert(what);
    };
    std::string_view values;
    if (const auto statement = insert_of(line)) {
      own = statement->table == wanted, values = statement->values;
      if (!own) left_out(statement->table);
    } else if (is_of_groups(line)) {
      values = line;
    }
    const std::size_t before = out.size();
    while (own) {
      const std::vector<std::string> cells = takes_group(values);
      if (cells.empty()) break;
      for (std::size_t c = 0; c < cells.size(); ++c) {
        if (c > 0) out += '\t';
        out += inserted_cell(cells[c]);
      }
      out += '\n';
      values = trimmed(values);
      if (!values.empty() && values[0] == ',') values.remove_prefix(1);
    }
    if (own && !values.empty() && values[0] == '(') left_out("rows over several lines");
    if (out.size() == before) out += '\n';
  };
}

}  // namespace vprism
