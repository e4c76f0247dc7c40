// fft.cpp: see fft.h. FFTW's planner is not safe to call from several threads, its execution is.
#include "base/fft.h"

#include <fftw3.h>
#include <sys/mman.h>

#include <cstring>
#include <map>
#include <mutex>
#include <new>

#include "base/machine/large_pages.h"
#include "base/machine/spill.h"

namespace vprism {

namespace {

enum class Kind { real_there, real_in_place, real_in_place_anywhere, real_back, complex_there, complex_back };

fftw_complex* raw(std::complex<double>* p) { return reinterpret_cast<fftw_complex*>(p); }

/// Plans are estimated, so nothing is written to the memory they are made for; it is not even touched.
fftw_plan make_plan(Kind kind, std::size_t size) {
  auto* const in = static_cast<fftw_complex*>(fftw_malloc(sizeof(fftw_complex) * (size + 2)));
  auto* const out = static_cast<fftw_complex*>(fftw_malloc(sizeof(fftw_complex) * (size + 2)));
  const int n = static_cast<int>(size);
  fftw_plan plan = nullptr;
  if (in != nullptr && out != nullptr) {
    auto* const real_in = reinterpret_cast<double*>(in);
    if (kind == Kind::real_there)
      plan = fftw_plan_dft_r2c_1d(n, real_in, out, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
    else if (kind == Kind::real_in_place || kind == Kind::real_in_place_anywhere)
      plan = fftw_plan_dft_r2c_1d(
          n, real_in, in, kind == Kind::real_in_place ? FFTW_ESTIMATE : FFTW_ESTIMATE | FFTW_UNALIGNED);
    else if (kind == Kind::real_back)
      plan = fftw_plan_dft_c2r_1d(n, out, real_in, FFTW_ESTIMATE | FFTW_DESTROY_INPUT);
    else
      plan = fftw_plan_dft_1d(n, in, out, kind == Kind::complex_there ? FFTW_FORWARD : FFTW_BACKWARD,
                              FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
  }
  fftw_free(in);
  fftw_free(out);
  if (plan == nullptr) throw std::bad_alloc();
  return plan;
}

/// The plan of this kind and size, made when it is first asked for.
fftw_plan plan_for(Kind kind, std::size_t size) {
  struct Cache {
    std::mutex lock;
    std::map<std::pair<Kind, std::size_t>, fftw_plan> plans;
    ~Cache() {
      for (auto& [key, plan] : plans) fftw_destroy_plan(plan);
    }
  };
  static Cache cache;
  const std::lock_guard guard(cache.lock);
  fftw_plan& plan = cache.plans[{kind, size}];
  if (plan == nullptr) plan = make_plan(kind, size);
  return plan;
}

}  // namespace

template <typename T>
FftArray<T>::FftArray(std::size_t size) : data_(nullptr), size_(size) {
  const std::size_t bytes = sizeof(T) * (size == 0 ? 1 : size);
  if (bytes < large_memory) {
    data_ = static_cast<T*>(fftw_malloc(bytes));
    if (data_ == nullptr) throw std::bad_alloc();
    for (std::size_t i = 0; i < size; ++i) data_[i] = T();
    return;
  }
  if (bytes >= arrays_spilled_from())
    if (void* const memory = take_spilled(bytes)) {
      std::memset(memory, 0, bytes);
      data_ = static_cast<T*>(memory);
      return;
    }
  void* const pages = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  if (pages == MAP_FAILED) throw std::bad_alloc();
  in_large_pages(pages, bytes);
  data_ = static_cast<T*>(pages);  // Zeroed by the system.
}

template <typename T>
FftArray<T>::~FftArray() {
  if (data_ == nullptr) return;
  const std::size_t bytes = sizeof(T) * (size_ == 0 ? 1 : size_);
  if (bytes < large_memory)
    fftw_free(data_);
  else if (bytes < arrays_spilled_from() || !give_back_spilled(data_))
    (void)::munmap(data_, bytes);
}

template class FftArray<double>;
template class FftArray<std::complex<double>>;

bool is_quick_size(std::size_t size) {
  for (const std::size_t factor : {2u, 3u, 5u, 7u})
    while (size > 1 && size % factor == 0) size /= factor;
  return size == 1;
}

std::size_t quick_size_from(std::size_t least) {
  while (!is_quick_size(least)) ++least;
  return least;
}

/// The tables of a long plan are as large as the sequence; who transforms in place needs others.
RealFft::RealFft(std::size_t size)
    : size_(size), plan_(size < (std::size_t{1} << 20) ? plan_for(Kind::real_there, size) : nullptr) {}

void RealFft::run(const double* in, std::complex<double>* out) const {
  const fftw_plan plan =
      plan_ != nullptr ? static_cast<fftw_plan>(const_cast<void*>(plan_)) : plan_for(Kind::real_there, size_);
  // FFTW_PRESERVE_INPUT: the input is not written, only the interface is not const.
  fftw_execute_dft_r2c(plan, const_cast<double*>(in), raw(out));
}

void RealFft::run_in_place(std::complex<double>* values) const {
  auto* const line = reinterpret_cast<double*>(values);
  const bool aligned = fftw_alignment_of(line) == 0;
  fftw_execute_dft_r2c(plan_for(aligned ? Kind::real_in_place : Kind::real_in_place_anywhere, size_), line,
                       raw(values));
}

void RealFft::back(FftArray<std::complex<double>>& in, FftArray<double>& out) const {
  fftw_execute_dft_c2r(plan_for(Kind::real_back, size_), raw(in.data()), out.data());
}

ComplexFft::ComplexFft(std::size_t size) : size_(size), plan_(plan_for(Kind::complex_there, size)) {}

void ComplexFft::run(const FftArray<std::complex<double>>& in, FftArray<std::complex<double>>& out) const {
  fftw_execute_dft(static_cast<fftw_plan>(const_cast<void*>(plan_)),
                   raw(const_cast<std::complex<double>*>(in.data())), raw(out.data()));
}

void ComplexFft::back(const FftArray<std::complex<double>>& in, FftArray<std::complex<double>>& out) const {
  fftw_execute_dft(plan_for(Kind::complex_back, size_), raw(const_cast<std::complex<double>*>(in.data())),
                   raw(out.data()));
}

}  // namespace vprism
