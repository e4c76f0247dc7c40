// fft.h: plans for transforms by FFTW, made once per size and shared.
#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <span>
#include <utility>

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
  FftArray& operator=(FftArray&& other) noexcept {
    std::swap(data_, other.data_), std::swap(size_, other.size_);
    return *this;
  }
  T* data() { return data_; }
  const T* data() const { return data_; }
  std::size_t size() const { return size_; }
  std::span<T> span() { return {data_, size_}; }

 private:
  T* data_;
  std::size_t size_;
};

/// Whether a transform of that size has factors of 2, 3, 5 and 7 only: it is quick then.
bool is_quick_size(std::size_t size);
/// The least such size that is not under `least`.
std::size_t quick_size_from(std::size_t least);

/// X[k] = sum_n x[n] exp(-2 pi i k n / N) for k = 0 .. N/2, not scaled, and back. Any N >= 1. Plans are
/// estimated, not measured, so that the same input gives the same bytes on every run; they are cached for the
/// life of the program.
class RealFft {
 public:
  explicit RealFft(std::size_t size);
  std::size_t size() const { return size_; }
  std::size_t bins() const { return size_ / 2 + 1; }
  /// `in` (N, kept) and `out` (N/2 + 1) from FftArray. May run in several threads at once.
  void run(const FftArray<double>& in, FftArray<std::complex<double>>& out) const {
    run(in.data(), out.data());
  }
  /// The same at any place of an FftArray that lies a multiple of 64 bytes behind its head.
  void run(const double* in, std::complex<double>* out) const;
  /// The same in one array: `values` holds N doubles at its head and then the N/2 + 1 bins. Quicker for long
  /// sequences. Any memory aligned to 16 bytes.
  void run_in_place(std::complex<double>* values) const;
  /// N times the real sequence whose transform `in` is; `in` is used up.
  void back(FftArray<std::complex<double>>& in, FftArray<double>& out) const;

 private:
  std::size_t size_;
  const void* plan_;
};

/// The same of complex sequences, all N bins.
class ComplexFft {
 public:
  explicit ComplexFft(std::size_t size);
  std::size_t size() const { return size_; }
  /// `in` and `out` of N from FftArray, not the same one; `in` is kept.
  void run(const FftArray<std::complex<double>>& in, FftArray<std::complex<double>>& out) const;
  /// N times the sequence whose transform `in` is.
  void back(const FftArray<std::complex<double>>& in, FftArray<std::complex<double>>& out) const;

 private:
  std::size_t size_;
  const void* plan_;
};

}  // namespace vprism
