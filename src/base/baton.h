// baton.h: numbers as bytes, handed from one rank to the next and taken in the order in which they were put.
#pragma once

#include <cstdint>
#include <cstring>
#include <span>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace vprism {

class Baton {
 public:
  Baton() = default;
  explicit Baton(std::string bytes) : bytes_(std::move(bytes)) {}
  const std::string& bytes() const { return bytes_; }
  bool empty() const { return bytes_.empty(); }

  void put(std::int64_t value) { append(&value, sizeof value); }
  void put(std::span<const double> values) {
    put(static_cast<std::int64_t>(values.size()));
    append(values.data(), values.size_bytes());
  }
  std::int64_t whole() {
    std::int64_t value = 0;
    take(&value, sizeof value);
    return value;
  }
  std::vector<double> numbers() {
    std::vector<double> values(static_cast<std::size_t>(whole()));
    take(values.data(), values.size() * sizeof(double));
    return values;
  }

 private:
  void append(const void* from, std::size_t bytes) {
    if (bytes > 0) bytes_.append(static_cast<const char*>(from), bytes);
  }
  void take(void* to, std::size_t bytes) {
    if (bytes > bytes_.size() - at_) throw std::logic_error("a baton ends early");
    if (bytes > 0) std::memcpy(to, bytes_.data() + at_, bytes);
    at_ += bytes;
  }
  std::string bytes_;
  std::size_t at_ = 0;
};

}  // namespace vprism
