// linear_complex.cpp: what linear.h has for complex matrices; apart, since both halves take long to compile.
#include <Eigen/Cholesky>
#include <Eigen/LU>

#include "base/linear/linear_pivots.h"

namespace vprism {

ComplexMatrix product(const ComplexMatrix& a, const ComplexMatrix& b) { return a * b; }
ComplexMatrix turned_product(const ComplexMatrix& a, const ComplexMatrix& b) { return a.adjoint() * b; }
ComplexMatrix solve_symmetric(const ComplexMatrix& a, const ComplexMatrix& b) { return a.ldlt().solve(b); }
ComplexVector solve_any(const ComplexMatrix& a, const ComplexVector& b) { return a.fullPivLu().solve(b); }

template class QrWithPivots<ComplexMatrix, ComplexVector>;

}  // namespace vprism
