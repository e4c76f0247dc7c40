// fft.cpp: see fft.h. FFTW's planner is not safe to call from several threads, its execution is.
#include "transform/fft.h"

#include <fftw3.h>

#include <map>
#include <mutex>
#include <new>

namespace vprism {

namespace {

struct PlanCache {
  std::mutex lock;
  std::map<std::size_t, fftw_plan> plans;
  ~PlanCache() {
    for (auto& [size, plan] : plans) fftw_destroy_plan(plan);
  }
};

fftw_complex* raw(std::complex<double>* p) { return reinterpret_cast<fftw_complex*>(p); }

}  // namespace

template <typename T>
FftArray<T>::FftArray(std::size_t size)
    : data_(static_cast<T*>(fftw_malloc(sizeof(T) * (size == 0 ? 1 : size)))), size_(size) {
  if (data_ == nullptr) throw std::bad_alloc();
  for (std::size_t i = 0; i < size; ++i) data_[i] = T();
}

template <typename T>
FftArray<T>::~FftArray() {
  if (data_ != nullptr) fftw_free(data_);
}

template class FftArray<double>;
template class FftArray<std::complex<double>>;

RealFft::RealFft(std::size_t size) : size_(size) {
  static PlanCache cache;
  const std::lock_guard guard(cache.lock);
  fftw_plan& plan = cache.plans[size];
  if (plan == nullptr) {
    FftArray<double> in(size);
    FftArray<std::complex<double>> out(size / 2 + 1);
    plan = fftw_plan_dft_r2c_1d(static_cast<int>(size), in.data(), raw(out.data()),
                                FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
    if (plan == nullptr) throw std::bad_alloc();
  }
  plan_ = plan;
}

void RealFft::run(const FftArray<double>& in, FftArray<std::complex<double>>& out) const {
  // FFTW_PRESERVE_INPUT: the input is not written, only the interface is not const.
  fftw_execute_dft_r2c(static_cast<fftw_plan>(const_cast<void*>(plan_)), const_cast<double*>(in.data()),
                       raw(out.data()));
}

}  // namespace vprism
