// sliding_median.cpp: see sliding_median.h.
//
// Up to a thousand samples in a window, a sorted array in which the sample that leaves is replaced by the one
// that comes: its moves are quicker than the steps of any tree. Wider windows are kept in a treap (Aragon &
// Seidel 1989), a tree sorted by value and heaped by random priority, whose nodes know the size of what is
// below them.
#include "condition/steps/sliding_median.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace vprism {

namespace {

class SortedWindow {
 public:
  void insert(double value) {
    values_.insert(std::upper_bound(values_.begin(), values_.end(), value), value);
  }
  void erase(double value) { values_.erase(std::lower_bound(values_.begin(), values_.end(), value)); }
  /// The two at once: only what lies between their places moves.
  void replace(double old, double now) {
    const auto from = std::lower_bound(values_.begin(), values_.end(), old);
    const auto to = std::lower_bound(values_.begin(), values_.end(), now);
    if (to > from + 1) {
      std::move(from + 1, to, from);
      to[-1] = now;
    } else if (to < from) {
      std::move_backward(to, from, from + 1);
      *to = now;
    } else {
      *from = now;
    }
  }
  std::size_t size() const { return values_.size(); }
  double kth(std::size_t k) const { return values_[k]; }

 private:
  std::vector<double> values_;
};

class TreapWindow {
 public:
  void insert(double value) {
    const int node = fresh(value);
    int left = -1, right = -1;
    split(root_, value, left, right);
    root_ = merge(merge(left, node), right);
  }
  void erase(double value) { root_ = without(root_, value); }
  void replace(double old, double now) {
    if (old == now) return;
    erase(old);
    insert(now);
  }
  std::size_t size() const { return count(root_); }
  double kth(std::size_t k) const {
    int at = root_;
    for (;;) {
      const Node& node = nodes_[static_cast<std::size_t>(at)];
      const std::size_t below = count(node.left);
      if (k == below) return node.value;
      if (k < below) {
        at = node.left;
      } else {
        k -= below + 1;
        at = node.right;
      }
    }
  }

 private:
  struct Node {
    double value;
    std::uint32_t priority;
    std::uint32_t size;
    int left, right;
  };
  std::size_t count(int at) const { return at < 0 ? 0 : nodes_[static_cast<std::size_t>(at)].size; }
  Node& node(int at) { return nodes_[static_cast<std::size_t>(at)]; }
  void weigh(int at) {
    node(at).size = static_cast<std::uint32_t>(1 + count(node(at).left) + count(node(at).right));
  }
  int fresh(double value) {
    dice_ ^= dice_ << 13, dice_ ^= dice_ >> 17, dice_ ^= dice_ << 5;  // Marsaglia 2003.
    const Node made{value, dice_, 1, -1, -1};
    if (!spare_.empty()) {
      const int at = spare_.back();
      spare_.pop_back();
      node(at) = made;
      return at;
    }
    nodes_.push_back(made);
    return static_cast<int>(nodes_.size()) - 1;
  }
  /// Values below `value` to the left, all others to the right.
  void split(int at, double value, int& left, int& right) {
    if (at < 0) {
      left = right = -1;
      return;
    }
    if (node(at).value < value) {
      int rest = -1;
      split(node(at).right, value, rest, right);
      node(at).right = rest;
      left = at;
    } else {
      int rest = -1;
      split(node(at).left, value, left, rest);
      node(at).left = rest;
      right = at;
    }
    weigh(at);
  }
  int merge(int left, int right) {
    if (left < 0) return right;
    if (right < 0) return left;
    if (node(left).priority > node(right).priority) {
      const int joined = merge(node(left).right, right);
      node(left).right = joined;
      weigh(left);
      return left;
    }
    const int joined = merge(left, node(right).left);
    node(right).left = joined;
    weigh(right);
    return right;
  }
  int without(int at, double value) {
    if (at < 0) return at;
    if (node(at).value == value) {
      spare_.push_back(at);
      return merge(node(at).left, node(at).right);
    }
    if (node(at).value < value)
      node(at).right = without(node(at).right, value);
    else
      node(at).left = without(node(at).left, value);
    weigh(at);
    return at;
  }

  std::vector<Node> nodes_;
  std::vector<int> spare_;
  int root_ = -1;
  std::uint32_t dice_ = 2463534242u;
};

template <typename Window>
void slide(std::span<const double> x, std::size_t first, std::size_t half, std::span<double> medians) {
  Window window;
  const auto begin_of = [&](std::size_t i) { return i > half ? i - half : 0; };
  const auto end_of = [&](std::size_t i) { return std::min(x.size(), i + half + 1); };
  for (std::size_t i = begin_of(first); i < end_of(first); ++i)
    if (!std::isnan(x[i])) window.insert(x[i]);
  for (std::size_t k = 0;; ++k) {
    medians[k] = window.size() == 0 ? std::nan("") : window.kth((window.size() - 1) / 2);
    if (k + 1 == medians.size()) return;
    const std::size_t i = first + k;
    const bool leaves = begin_of(i + 1) > begin_of(i) && !std::isnan(x[begin_of(i)]);
    const bool comes = end_of(i + 1) > end_of(i) && !std::isnan(x[end_of(i)]);
    if (leaves && comes)
      window.replace(x[begin_of(i)], x[end_of(i)]);
    else if (leaves)
      window.erase(x[begin_of(i)]);
    else if (comes)
      window.insert(x[end_of(i)]);
  }
}

}  // namespace

void sliding_medians(std::span<const double> x, std::size_t first, std::size_t half,
                     std::span<double> medians) {
  if (medians.empty()) return;
  if (half <= 512)
    slide<SortedWindow>(x, first, half, medians);
  else
    slide<TreapWindow>(x, first, half, medians);
}

}  // namespace vprism
