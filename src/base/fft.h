// fft.h: plans for real transforms by FFTW, made once per size and shared.
#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <span>

namespace vprism {

/// Memory aligned as FFTW's vector code wants it.
template <typename T>
class FftArray {
 public:
  explicit FftArray(std::size_t size);
  ~FftArray();
  FftArray(FftArray&& other) noexcept : data_(other.data_), size_(other.size_) { other.data_ = nullptr; }
  FftArray(const FftArray&) = delete;
  FftArray& operator=(const FftArray&) = delete;
  T* data() { return data_; }
  const T* data() const { return data_; }
  std::size_t size() const { return size_; }
  std::span<T> span() { return {data_, size_}; }

 private:
  T* data_;
  std::size_t size_;
};

/// X[k] = sum_n x[n] exp(-2 pi i k n / N) for k = 0 .. N/2, not scaled, and back. Any N >= 1. Plans are
/// estimated, not measured, so that the same input gives the same bytes on every run; they are cached for the
/// life of the program.
class RealFft {
 public:
  explicit RealFft(std::size_t size);
  std::size_t size() const { return size_; }
  std::size_t bins() const { return size_ / 2 + 1; }
  /// `in` (N, kept) and `out` (N/2 + 1) from FftArray. May run in several threads at once.
  void run(const FftArray<double>& in, FftArray<std::complex<double>>& out) const;
  /// N times the real sequence whose transform `in` is; `in` is used up.
  void back(FftArray<std::complex<double>>& in, FftArray<double>& out) const;

 private:
  std::size_t size_;
  const void* plan_;
  const void* back_;
};

}  // namespace vprism
