// linear.h: linear algebra in double precision, by Eigen, compiled once.
//
// Each of these drags in thousands of lines of templates where it is used; files that only add, scale and
// pick numbers need no more than the types.
#pragma once

#include <Eigen/Core>
#include <memory>

namespace vprism {

using Vector = Eigen::VectorXd;
using Matrix = Eigen::MatrixXd;
using ComplexVector = Eigen::VectorXcd;
using ComplexMatrix = Eigen::MatrixXcd;

/// a b, and a^T b (a^H b of complex ones).
Matrix product(const Matrix& a, const Matrix& b);
Vector product(const Matrix& a, const Vector& b);
ComplexMatrix product(const ComplexMatrix& a, const ComplexMatrix& b);
Matrix turned_product(const Matrix& a, const Matrix& b);
Vector turned_product(const Matrix& a, const Vector& b);
ComplexMatrix turned_product(const ComplexMatrix& a, const ComplexMatrix& b);

/// x of a x = b, a symmetric (Hermitian) and positive: by L D L^T with pivots. Only its lower half is looked
/// at.
Vector solve_symmetric(const Matrix& a, const Vector& b);
Matrix solve_symmetric(const Matrix& a, const Matrix& b);
ComplexMatrix solve_symmetric(const ComplexMatrix& a, const ComplexMatrix& b);
Matrix inverse_of_symmetric(const Matrix& a);

/// x of a x = b for any square a, by L U with full pivots: of one that is singular, a solution.
ComplexVector solve_any(const ComplexMatrix& a, const ComplexVector& b);

/// In no order.
ComplexVector eigenvalues_of(const ComplexMatrix& a);

struct HermitianParts {
  Vector values;          ///< Rising.
  ComplexMatrix vectors;  ///< In columns, of length 1.
};
HermitianParts hermitian_parts(const ComplexMatrix& a);

/// a P = Q R, columns by falling size: least squares, and what lies outside the columns' span. Of real and of
/// complex matrices.
template <typename M, typename V>
class QrWithPivots {
 public:
  explicit QrWithPivots(const M& a);
  ~QrWithPivots();
  V solve(const V& b) const;
  Eigen::Index rank() const;
  /// Q^T b (Q^H b): the rows from rank() on lie outside.
  M turned(const M& b) const;
  V turned(const V& b) const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};
using PivotedQr = QrWithPivots<Matrix, Vector>;
using ComplexQr = QrWithPivots<ComplexMatrix, ComplexVector>;

}  // namespace vprism
