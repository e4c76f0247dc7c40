// linear.cpp: see linear.h.
#include "base/linear.h"

#include <Eigen/Cholesky>
#include <Eigen/LU>
#include <Eigen/QR>

namespace vprism {

Matrix product(const Matrix& a, const Matrix& b) { return a * b; }
Vector product(const Matrix& a, const Vector& b) { return a * b; }
ComplexMatrix product(const ComplexMatrix& a, const ComplexMatrix& b) { return a * b; }
Matrix turned_product(const Matrix& a, const Matrix& b) { return a.transpose() * b; }
Vector turned_product(const Matrix& a, const Vector& b) { return a.transpose() * b; }
ComplexMatrix turned_product(const ComplexMatrix& a, const ComplexMatrix& b) { return a.adjoint() * b; }

Vector solve_symmetric(const Matrix& a, const Vector& b) { return a.ldlt().solve(b); }
Matrix solve_symmetric(const Matrix& a, const Matrix& b) { return a.ldlt().solve(b); }
ComplexMatrix solve_symmetric(const ComplexMatrix& a, const ComplexMatrix& b) { return a.ldlt().solve(b); }
Matrix inverse_of_symmetric(const Matrix& a) {
  return solve_symmetric(a, Matrix(Matrix::Identity(a.rows(), a.cols())));
}

ComplexVector solve_any(const ComplexMatrix& a, const ComplexVector& b) { return a.fullPivLu().solve(b); }

template <typename M, typename V>
struct QrWithPivots<M, V>::Inner {
  Eigen::ColPivHouseholderQR<M> qr;
};

template <typename M, typename V>
QrWithPivots<M, V>::QrWithPivots(const M& a)
    : inner_(std::make_unique<Inner>(Inner{Eigen::ColPivHouseholderQR<M>(a)})) {}
template <typename M, typename V>
QrWithPivots<M, V>::~QrWithPivots() = default;
template <typename M, typename V>
V QrWithPivots<M, V>::solve(const V& b) const {
  return inner_->qr.solve(b);
}
template <typename M, typename V>
Eigen::Index QrWithPivots<M, V>::rank() const {
  return inner_->qr.rank();
}
template <typename M, typename V>
M QrWithPivots<M, V>::turned(const M& b) const {
  return inner_->qr.householderQ().adjoint() * b;
}
template <typename M, typename V>
V QrWithPivots<M, V>::turned(const V& b) const {
  return inner_->qr.householderQ().adjoint() * b;
}
template class QrWithPivots<Matrix, Vector>;
template class QrWithPivots<ComplexMatrix, ComplexVector>;

}  // namespace vprism
