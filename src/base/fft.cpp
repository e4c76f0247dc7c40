// fft.cpp: see fft.h. FFTW's planner is not safe to call from several threads, its execution is.
#include "base/fft.h"

#include <fftw3.h>

#include <map>
#include <mutex>
#include <new>

namespace vprism {

namespace {

struct PlanCache {
  std::mutex lock;
  std::map<std::size_t, std::pair<fftw_plan, fftw_plan>> plans;  // There and back.
  ~PlanCache() {
    for (auto& [size, plan] : plans) fftw_destroy_plan(plan.first), fftw_destroy_plan(plan.second);
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
  auto& [there, back] = cache.plans[size];
  if (there == nullptr || back == nullptr) {
    FftArray<double> in(size);
    FftArray<std::complex<double>> out(size / 2 + 1);
    there = fftw_plan_dft_r2c_1d(static_cast<int>(size), in.data(), raw(out.data()),
                                 FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
    back = fftw_plan_dft_c2r_1d(static_cast<int>(size), raw(out.data()), in.data(),
                                FFTW_ESTIMATE | FFTW_DESTROY_INPUT);
    if (there == nullptr || back == nullptr) throw std::bad_alloc();
  }
  plan_ = there;
  back_ = back;
}

void RealFft::run(const FftArray<double>& in, FftArray<std::complex<double>>& out) const {
  // FFTW_PRESERVE_INPUT: the input is not written, only the interface is not const.
  fftw_execute_dft_r2c(static_cast<fftw_plan>(const_cast<void*>(plan_)), const_cast<double*>(in.data()),
                       raw(out.data()));
}

void RealFft::back(FftArray<std::complex<double>>& in, FftArray<double>& out) const {
  fftw_execute_dft_c2r(static_cast<fftw_plan>(const_cast<void*>(back_)), raw(in.data()), out.data());
}

}  // namespace vprism
