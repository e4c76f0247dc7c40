// netcdf_head.cpp: see netcdf_head.h.
#include "containers/netcdf/netcdf_head.h"

#include <vector>

#include "base/error.h"

namespace vprism {

namespace {

/// Thrown within this file only.
struct Unsound {
  const char* what;
};

class HeadWalker {
 public:
  HeadWalker(std::string_view head, std::uint64_t size) : head_(head), size_(size) {}

  void walk() {
    const char version = head_.size() > 3 ? head_[3] : '\0';
    wide_counts_ = version == 5, wide_places_ = version != 1;
    at_ = 4;
    count();  // Of records.
    const std::uint64_t dimensions = list(10, 8);
    for (std::uint64_t d = 0; d < dimensions; ++d) {
      name();
      lengths_.push_back(count());
    }
    attributes();
    const std::uint64_t variables = list(11, 28);
    for (std::uint64_t v = 0; v < variables; ++v) variable();
  }

 private:
  std::uint64_t number(std::size_t bytes) {
    if (at_ + bytes > head_.size()) throw Unsound{"its head does not end"};
    std::uint64_t out = 0;
    for (std::size_t i = 0; i < bytes; ++i) out = out << 8 | static_cast<unsigned char>(head_[at_++]);
    return out;
  }
  std::uint64_t count() { return number(wide_counts_ ? 8 : 4); }

  /// How many entries of at least so many bytes a list has.
  std::uint64_t list(std::uint64_t tag, std::uint64_t least) {
    const std::uint64_t found = number(4), entries = count();
    if (found == 0 && entries == 0) return 0;
    if (found != tag || entries > (head_.size() - at_) / least)
      throw Unsound{"a list in its head has no such length"};
    return entries;
  }

  void skip(std::uint64_t bytes) {
    const std::uint64_t whole = bytes + (4 - bytes % 4) % 4;
    if (bytes > head_.size() || whole > head_.size() - at_) throw Unsound{"its head does not end"};
    at_ += whole;
  }

  void name() {
    const std::uint64_t length = count();
    if (length == 0 || length > 256) throw Unsound{"a name in its head has no such length"};
    skip(length);
  }

  static std::uint64_t bytes_of_type(std::uint64_t type) {
    constexpr std::uint64_t sizes[] = {0, 1, 1, 2, 4, 4, 8, 1, 2, 4, 8, 8};
    if (type == 0 || type >= std::size(sizes)) throw Unsound{"its head names a type that there is not"};
    return sizes[type];
  }

  void attributes() {
    const std::uint64_t entries = list(12, 12);
    for (std::uint64_t a = 0; a < entries; ++a) {
      name();
      const std::uint64_t each = bytes_of_type(number(4)), values = count();
      if (values > head_.size()) throw Unsound{"an attribute has no such length"};
      skip(each * values);
    }
  }

  void variable() {
    name();
    const std::uint64_t dimensions = count();
    if (dimensions > 1024) throw Unsound{"a variable has no so many dimensions"};
    for (std::uint64_t d = 0; d < dimensions; ++d)
      if (count() >= lengths_.size()) throw Unsound{"a variable lies along a dimension that there is not"};
    attributes();
    bytes_of_type(number(4));
    count();  // Its size, which follows from the rest.
    if (number(wide_places_ ? 8 : 4) > size_) throw Unsound{"a variable lies behind the file's end"};
  }

  std::string_view head_;
  std::uint64_t size_, at_ = 0;
  bool wide_counts_ = false, wide_places_ = false;
  std::vector<std::uint64_t> lengths_;
};

}  // namespace

std::string netcdf_head_fault(std::string_view head, std::uint64_t size) {
  try {
    HeadWalker(head, size).walk();
    return "";
  } catch (const Unsound& unsound) {
    return unsound.what;
  }
}

}  // namespace vprism
