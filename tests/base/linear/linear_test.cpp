// Against systems whose answers are known by hand, and by what the answers have to fulfil.
#include "base/linear/linear.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <random>
#include <vector>

namespace vprism::linear_test {
namespace {

using Complex = std::complex<double>;

Matrix random_matrix(Eigen::Index rows, Eigen::Index columns, std::uint64_t seed) {
  std::mt19937_64 dice(seed);
  std::normal_distribution<double> normal;
  Matrix m(rows, columns);
  for (Eigen::Index i = 0; i < rows; ++i)
    for (Eigen::Index j = 0; j < columns; ++j) m(i, j) = normal(dice);
  return m;
}

TEST(Linear, ProductsAreRowsTimesColumns) {
  Matrix a(2, 3), b(3, 2);
  a << 1, 2, 3, 4, 5, 6;
  b << 7, 8, 9, 10, 11, 12;
  const Matrix c = product(a, b);
  EXPECT_EQ(c(0, 0), 58);
  EXPECT_EQ(c(0, 1), 64);
  EXPECT_EQ(c(1, 0), 139);
  EXPECT_EQ(c(1, 1), 154);
  Vector x(3), y(2);
  x << 1, 0, -1;
  y << 2, 1;
  EXPECT_EQ(product(a, x)(0), -2);
  EXPECT_EQ(product(a, x)(1), -2);
  EXPECT_EQ(turned_product(a, y)(0), 6);
  EXPECT_EQ(turned_product(a, y)(2), 12);
  EXPECT_EQ(turned_product(a, a)(0, 1), 22);
}

TEST(Linear, OfComplexMatricesTheFirstIsConjugatedWhenItIsTurned) {
  ComplexMatrix a(2, 1), b(2, 1);
  a << Complex(0, 1), Complex(2, 0);
  b << Complex(0, 3), Complex(1, 1);
  EXPECT_EQ(turned_product(a, b)(0, 0), Complex(5, 2));  // -i 3i + 2 (1 + i)
  EXPECT_EQ(product(ComplexMatrix(a.transpose()), b)(0, 0), Complex(-1, 2));
}

TEST(Linear, ASymmetricSystemIsSolvedFromItsLowerHalf) {
  // [4 2; 2 3] x = [2; 5]: x = (-1/2, 2). The upper half is not looked at.
  Matrix a(2, 2);
  a << 4, 99, 2, 3;
  Vector b(2);
  b << 2, 5;
  const Vector x = solve_symmetric(a, b);
  EXPECT_NEAR(x(0), -0.5, 1e-15);
  EXPECT_NEAR(x(1), 2, 1e-15);
  const Matrix inverse = inverse_of_symmetric(a);
  EXPECT_NEAR(inverse(0, 0), 3 / 8.0, 1e-15);
  EXPECT_NEAR(inverse(0, 1), -2 / 8.0, 1e-15);
  EXPECT_NEAR(inverse(1, 1), 4 / 8.0, 1e-15);
}

TEST(Linear, HilbertsMatrixHasAnInverseOfWholeNumbers) {
  // Of 1 / (i + j - 1), i, j = 1 .. 5: element (5, 5) is 44100, (1, 1) is 25, (2, 3) is -18900.
  Matrix h(5, 5);
  for (Eigen::Index i = 0; i < 5; ++i)
    for (Eigen::Index j = 0; j < 5; ++j) h(i, j) = 1 / static_cast<double>(i + j + 1);
  const Matrix inverse = inverse_of_symmetric(h);
  EXPECT_NEAR(inverse(0, 0), 25, 25e-9);
  EXPECT_NEAR(inverse(1, 2), -18900, 2e-5);
  EXPECT_NEAR(inverse(4, 4), 44100, 5e-5);
}

TEST(Linear, ComplexSystemsAreFulfilled) {
  const Matrix re = random_matrix(6, 6, 1), im = random_matrix(6, 6, 2);
  ComplexMatrix any(6, 6), right(6, 2);
  for (Eigen::Index i = 0; i < 6; ++i) {
    for (Eigen::Index j = 0; j < 6; ++j) any(i, j) = {re(i, j), im(i, j)};
    for (Eigen::Index j = 0; j < 2; ++j) right(i, j) = {im(i, j), re(j, i)};
  }
  const ComplexMatrix hermitian = turned_product(any, any);
  const ComplexMatrix x = solve_symmetric(hermitian, right);
  EXPECT_LT((product(hermitian, x) - right).norm(), 1e-10 * right.norm());
  const ComplexVector b = right.col(0), y = solve_any(any, b);
  EXPECT_LT((any * y - b).norm(), 1e-11 * b.norm());
}

TEST(Linear, EigenvaluesOfACompanionAreItsRoots) {
  // (x - 2)(x + 1)(x - 3i)(x - 1 - i), highest power first.
  const std::vector<Complex> roots = {2.0, -1.0, Complex(0, 3), Complex(1, 1)};
  std::vector<Complex> c = {1};
  for (const Complex& r : roots) {
    c.push_back(0);
    for (std::size_t i = c.size() - 1; i > 0; --i) c[i] -= r * c[i - 1];
  }
  ComplexMatrix companion = ComplexMatrix::Zero(4, 4);
  for (Eigen::Index j = 0; j < 4; ++j) companion(0, j) = -c[static_cast<std::size_t>(j) + 1];
  for (Eigen::Index j = 1; j < 4; ++j) companion(j, j - 1) = 1;
  const ComplexVector found = eigenvalues_of(companion);
  for (const Complex& r : roots) {
    double nearest = 1e9;
    for (Eigen::Index i = 0; i < 4; ++i) nearest = std::min(nearest, std::abs(found(i) - r));
    EXPECT_LT(nearest, 1e-12) << r;
  }
}

TEST(Linear, PartsOfAHermitianMatrix) {
  // [2 i; -i 2]: 1 with (1, i) / sqrt 2 and 3 with (1, -i) / sqrt 2, up to a factor of length 1.
  ComplexMatrix a(2, 2);
  a << Complex(2, 0), Complex(0, 1), Complex(0, -1), Complex(2, 0);
  const HermitianParts parts = hermitian_parts(a);
  EXPECT_NEAR(parts.values(0), 1, 1e-14);
  EXPECT_NEAR(parts.values(1), 3, 1e-14);
  for (Eigen::Index i = 0; i < 2; ++i) {
    EXPECT_NEAR(parts.vectors.col(i).norm(), 1, 1e-14);
    EXPECT_LT((a * parts.vectors.col(i) - parts.values(i) * parts.vectors.col(i)).norm(), 1e-14);
  }
}

TEST(Linear, PivotedQrFitsALineThroughPoints) {
  // y = 3 + 2 t with errors +1, -1, -1, +1 at t = -3, -1, 1, 3: they are at right angles to both columns.
  Matrix a(4, 2);
  Vector b(4);
  const double t[] = {-3, -1, 1, 3}, error[] = {1, -1, -1, 1};
  for (Eigen::Index n = 0; n < 4; ++n) a(n, 0) = 1, a(n, 1) = t[n], b(n) = 3 + 2 * t[n] + error[n];
  const PivotedQr qr(a);
  EXPECT_EQ(qr.rank(), 2);
  EXPECT_NEAR(qr.solve(b)(0), 3, 1e-14);
  EXPECT_NEAR(qr.solve(b)(1), 2, 1e-14);
  // What lies outside the columns' span is the errors.
  EXPECT_NEAR(qr.turned(b).tail(2).norm(), 2, 1e-14);
  EXPECT_NEAR(qr.turned(b).norm(), b.norm(), 1e-13);
}

TEST(Linear, PivotedQrSeesColumnsThatSayTheSame) {
  Matrix a = random_matrix(10, 4, 3);
  a.col(2) = 2 * a.col(0) - a.col(3);
  const PivotedQr qr(a);
  EXPECT_EQ(qr.rank(), 3);
  const Vector b = a.col(0) + a.col(1);
  EXPECT_LT((a * qr.solve(b) - b).norm(), 1e-13);
  const Matrix turned = qr.turned(a);
  EXPECT_LT(turned.bottomRows(7).norm(), 1e-13);
}

}  // namespace
}  // namespace vprism::linear_test
