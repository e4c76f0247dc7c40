// linear_parts.cpp: eigenvalues of linear.h: half of its templates, so that both halves compile side by side.
#include <Eigen/Eigenvalues>

#include "base/linear/linear.h"

namespace vprism {

ComplexVector eigenvalues_of(const ComplexMatrix& a) {
  return Eigen::ComplexEigenSolver<ComplexMatrix>(a, false).eigenvalues();
}

HermitianParts hermitian_parts(const ComplexMatrix& a) {
  const Eigen::SelfAdjointEigenSolver<ComplexMatrix> parts(a);
  return {parts.eigenvalues(), parts.eigenvectors()};
}

}  // namespace vprism
