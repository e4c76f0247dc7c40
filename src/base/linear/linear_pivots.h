// linear_pivots.h: how QrWithPivots does it; for the two files that compile it only.
#pragma once

#include <Eigen/QR>

#include "base/linear/linear.h"

namespace vprism {

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

}  // namespace vprism
