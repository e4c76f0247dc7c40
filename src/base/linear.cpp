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

struct PivotedQr::Inner {
  Eigen::ColPivHouseholderQR<Matrix> qr;
};

PivotedQr::PivotedQr(const Matrix& a)
    : inner_(std::make_unique<Inner>(Inner{Eigen::ColPivHouseholderQR<Matrix>(a)})) {}
PivotedQr::~PivotedQr() = default;
Vector PivotedQr::solve(const Vector& b) const { return inner_->qr.solve(b); }
Eigen::Index PivotedQr::rank() const { return inner_->qr.rank(); }
Matrix PivotedQr::turned(const Matrix& b) const { return inner_->qr.householderQ().adjoint() * b; }
Vector PivotedQr::turned(const Vector& b) const { return inner_->qr.householderQ().adjoint() * b; }

}  // namespace vprism
