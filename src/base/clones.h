// clones.h: hot loops compiled for wider vectors as well; the processor's own is chosen when the program
// starts.
#pragma once

// AVX2 without FMA: the same operations in the same order, so the same results to the last bit.
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__)
#define VPRISM_WIDE __attribute__((target_clones("avx2", "default")))
#else
#define VPRISM_WIDE
#endif
