// interpolation.h: polynomials through neighbouring samples at any times (Lagrange 1795).
#pragma once

#include <array>
#include <cstddef>
#include <string>
#include <vector>

namespace vprism {

/// Ways to interpolate, by the number of samples that each polynomial goes through: 2, 4, 6 or 8.
struct InterpolationKind {
  const char* name;
  int points;
};
inline constexpr std::array<InterpolationKind, 4> interpolation_kinds = {
    {{"linear", 2}, {"cubic", 4}, {"quintic", 6}, {"septic", 8}}};
std::string interpolation_name(int points);

/// Four points and weights of Gauss and Legendre on -1 .. 1: exact for polynomials up to degree 7.
inline constexpr std::array<double, 4> gauss_points = {-0.8611363115940526, -0.3399810435848563,
                                                       0.3399810435848563, 0.8611363115940526};
inline constexpr std::array<double, 4> gauss_weights = {0.3478548451374538, 0.6521451548625461,
                                                        0.6521451548625461, 0.3478548451374538};

/// Whether a value lies within the range of the `count` samples around it, or a quarter of that range beside
/// it.
bool is_plausible(double value, const double* x, int count);

/// The polynomial through up to ten neighbours of a step between two samples. Its weights are found once a
/// step, and for any number of columns.
class LocalPolynomial {
 public:
  explicit LocalPolynomial(int points) : points_(points) {}
  /// The step from `t[left]` to `t[left + 1]` of a record of t.size() samples whose times rise. Near an end
  /// the polynomial goes through as many samples as lie on both sides, four at least where there are four.
  void set(const std::vector<double>& t, std::size_t left);
  /// Weights at a time within that step.
  void at(double time);
  double value(const double* x) const;
  /// The first of the samples that it goes through, and how many they are.
  std::size_t from() const { return from_; }
  int count() const { return count_; }

 private:
  int points_, count_ = 0;
  std::size_t from_ = 0;
  double origin_ = 0, scale_ = 1;
  std::array<double, 10> t_{}, base_{}, weight_{};
};

/// How far sample i lies from the polynomial through `points` neighbours of it, without itself: nothing at
/// the ends, or beside missing samples or jumps.
class LeftOut {
 public:
  explicit LeftOut(int points) : points_(points) {}
  /// False where there are not enough neighbours.
  bool set(const std::vector<double>& t, std::size_t i);
  /// NaN where that is not known.
  double error(const double* x) const;

 private:
  int points_;
  std::size_t i_ = 0;
  std::array<double, 10> weight_{};
  std::size_t place(int k) const;
};

}  // namespace vprism
