// step_words.cpp: see step_words.h.
#include "condition/step_words.h"

#include <algorithm>
#include <cctype>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

StepWords::StepWords(std::vector<std::string> words, std::vector<std::string> keywords, std::string example)
    : keywords_(std::move(keywords)), example_(std::move(example)) {
  for (std::string& word : words) {
    // "0.2 s" and "0.2s" are both one value.
    const bool unit = !words_.empty() && !words_.back().empty() && !word.empty() &&
                      std::isalpha(static_cast<unsigned char>(word[0])) && !is_keyword(word) &&
                      std::isdigit(static_cast<unsigned char>(words_.back().back()));
    if (unit)
      words_.back() += word;
    else
      words_.push_back(std::move(word));
  }
}

bool StepWords::is_keyword(std::string_view word) const {
  return std::find(keywords_.begin(), keywords_.end(), word) != keywords_.end();
}

std::optional<std::string> StepWords::next() {
  if (words_.empty() || is_keyword(words_.front())) return {};
  std::string out = std::move(words_.front());
  words_.erase(words_.begin());
  return out;
}

std::string StepWords::value() {
  if (auto out = next()) return *out;
  throw Error(Status::usage, "a value is missing; write for example \"" + example_ + "\"");
}

std::string StepWords::value_of(const std::vector<std::string>& known, const char* what) {
  if (words_.empty()) return value();
  std::string word = std::move(words_.front());
  words_.erase(words_.begin());
  if (std::find(known.begin(), known.end(), word) == known.end())
    throw Error(Status::usage, unknown_name(what, word, known));
  return word;
}

std::optional<std::string> StepWords::keyed(std::string_view key) {
  const auto found = std::find(words_.begin(), words_.end(), key);
  if (found == words_.end()) return {};
  if (found + 1 == words_.end())
    throw Error(Status::usage, "\"" + std::string(key) + "\" needs a value behind it; write for example \"" +
                                   example_ + "\"");
  std::string out = found[1];
  words_.erase(found, found + 2);
  if (std::find(words_.begin(), words_.end(), key) != words_.end())
    throw Error(Status::usage, "\"" + std::string(key) + "\" is given twice");
  return out;
}

bool StepWords::flag(std::string_view word) {
  const auto found = std::find(words_.begin(), words_.end(), word);
  if (found == words_.end()) return false;
  words_.erase(found);
  return true;
}

std::optional<std::string> StepWords::one_of(const std::vector<std::string>& words) {
  std::optional<std::string> out;
  for (const std::string& word : words)
    if (flag(word)) {
      if (out) throw Error(Status::usage, "\"" + *out + "\" and \"" + word + "\" exclude each other");
      out = word;
    }
  return out;
}

std::optional<int> StepWords::keyed_whole(std::string_view key, int least, int most) {
  const auto text = keyed(key);
  if (!text) return {};
  const long long value = parse_whole_number(*text, least);
  if (value > most)
    throw Error(Status::usage,
                std::string(key) + " " + *text + " is too large; at most " + std::to_string(most));
  return static_cast<int>(value);
}

void StepWords::done() const {
  if (words_.empty()) return;
  std::string text =
      "\"" + clean_text(words_.front()) + "\" is too much; write for example \"" + example_ + "\"";
  if (!keywords_.empty() && std::isalpha(static_cast<unsigned char>(words_.front()[0])))
    text = unknown_name("word", words_.front(), keywords_) + "; write for example \"" + example_ + "\"";
  throw Error(Status::usage, text);
}

double plain_number(const std::string& text) {
  std::string_view rest;
  const double value = parse_leading_number(text, rest);
  if (!rest.empty())
    throw Error(Status::usage, "\"" + clean_text(text) + "\" must be a plain number, in the channel's unit");
  return value;
}

}  // namespace vprism
