// SPDX-License-Identifier: GPL-3.0-or-later
// ZIP packages, which is what job files and 3MF files are.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/result.h"

namespace anvil {

struct PackageEntry {
  std::string name;  ///< path inside the package, in UTF-8
  std::string contents;
};

/// Writes a package in one go; on failure nothing is left. The same entries give the same bytes.
/// @return bytes written
Result<std::uintmax_t> write_package(const std::filesystem::path& path, const std::vector<PackageEntry>& entries);

}  // namespace anvil
