// linear.cpp: what linear.h has for real matrices.
#include "base/linear/linear.h"

#include <Eigen/Cholesky>

#include "base/linear/linear_pivots.h"

namespace vprism {

Matrix product(const Matrix& a, const Matrix& b) { return a * b; }
Vector product(const Matrix& a, const Vector& b) { return a * b; }
Matrix turned_product(const Matrix& a, const Matrix& b) { return a.transpose() * b; }
Vector turned_product(const Matrix& a, const Vector& b) { return a.transpose() * b; }

Vector solve_symmetric(const Matrix& a, const Vector& b) { return a.ldlt().solve(b); }
Matrix solve_symmetric(const Matrix& a, const Matrix& b) { return a.ldlt().solve(b); }
Matrix inverse_of_symmetric(const Matrix& a) {
  return solve_symmetric(a, Matrix(Matrix::Identity(a.rows(), a.cols())));
}

template class QrWithPivots<Matrix, Vector>;

}  // namespace vprism
