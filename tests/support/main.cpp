// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_MAIN
#include <catch2/catch.hpp>

#ifdef __SANITIZE_ADDRESS__
// lib3mf 1.8 does not close the entries of a package that it has read: 160 bytes each, allocated inside libzip.
extern "C" const char* __lsan_default_suppressions();
extern "C" const char* __lsan_default_suppressions() {
  return "leak:libzip.so\n";
}
#endif
