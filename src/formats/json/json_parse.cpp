// json_parse.cpp: see json_parse.h. Values are put together as the library's parser reports them.
#include "formats/json/json_parse.h"

#include <nlohmann/json.hpp>
#include <unordered_map>
#include <vector>

#include "base/error.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;
constexpr std::size_t deepest_parsed = 64, looked_through = 32;

class JsonBuilder {
 public:
  explicit JsonBuilder(const std::string& path) : path_(path) {}
  Document take() { return std::move(root_); }

  bool null() { return add(nullptr); }
  bool boolean(bool value) { return add(value); }
  bool number_integer(std::int64_t value) { return add(value); }
  bool number_unsigned(std::uint64_t value) { return add(value); }
  bool number_float(double value, const std::string&) { return add(value); }
  bool string(std::string& value) { return add(std::move(value)); }
  bool binary(Document::binary_t&) { return false; }
  bool start_object(std::size_t) { return open(Document::object()); }
  bool start_array(std::size_t) { return open(Document::array()); }
  bool end_object() { return close(); }
  bool end_array() { return close(); }
  bool key(std::string& name) {
    Level& level = levels_.back();
    auto& members = level.value->get_ref<Document::object_t&>();
    // A member of that name that is there already.
    level.slot = nullptr;
    if (members.size() <= looked_through) {
      for (auto& member : members)
        if (member.first == name) level.slot = &member.second;
    } else {
      if (level.places.empty())
        for (std::size_t k = 0; k < members.size(); ++k)
          level.places.emplace(members.begin()[static_cast<std::ptrdiff_t>(k)].first, k);
      const auto [at, fresh] = level.places.try_emplace(name, members.size());
      if (!fresh) level.slot = &members.begin()[static_cast<std::ptrdiff_t>(at->second)].second;
    }
    if (level.slot == nullptr) {
      members.emplace_back(name, Document());
      level.slot = &members.back().second;
    }
    return true;
  }
  bool parse_error(std::size_t, const std::string&, const nlohmann::detail::exception&) { return false; }

 private:
  struct Level {
    Document* value = nullptr;
    Document* slot = nullptr;  ///< Of an object: the member whose value comes next.
    std::unordered_map<std::string, std::size_t> places = {};
  };

  /// Puts a value where the next one belongs.
  Document& put(Document value) {
    if (levels_.empty()) {
      root_ = std::move(value);
      return root_;
    }
    Level& level = levels_.back();
    if (level.value->is_array()) {
      auto& list = level.value->get_ref<Document::array_t&>();
      list.push_back(std::move(value));
      return list.back();
    }
    *level.slot = std::move(value);
    return *level.slot;
  }
  bool add(Document value) {
    put(std::move(value));
    return true;
  }
  bool open(Document value) {
    if (levels_.size() == deepest_parsed)
      throw Error(Status::input, path_ + ": damaged JSON document: more than 64 levels");
    levels_.push_back({&put(std::move(value))});
    return true;
  }
  bool close() {
    levels_.pop_back();
    return true;
  }

  const std::string& path_;
  Document root_;
  std::vector<Level> levels_;
};

}  // namespace

Document parse_json(std::string_view text, const std::string& path) {
  JsonBuilder builder(path);
  if (!Document::sax_parse(text, &builder, nlohmann::detail::input_format_t::json, true, true))
    return Document(Document::value_t::discarded);
  return builder.take();
}

}  // namespace vprism
