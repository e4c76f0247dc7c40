// clones.h: hot loops compiled for wider vectors as well; the processor's own is chosen when the program
// starts.
#pragma once

// Without fused multiply and add (-ffp-contract=off): the same operations in the same order, so the same
// results to the last bit.
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && !defined(__SANITIZE_ADDRESS__)
#define VPRISM_WIDE __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define VPRISM_WIDE
#endif
