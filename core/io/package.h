// SPDX-License-Identifier: GPL-3.0-or-later
// ZIP packages, which is what job files and 3MF files are.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/control.h"
#include "core/result.h"

namespace anvil {

struct PackageEntry {
  std::string name;  ///< path inside the package, in UTF-8
  std::string contents;
};

/// A package in memory. The same entries give the same bytes.
Result<std::string> package_bytes(const std::vector<PackageEntry>& entries, const Control& control = {});
/// The same as a file, as write_bytes() writes it.
Result<std::uintmax_t> write_package(const std::filesystem::path& path, const std::vector<PackageEntry>& entries,
                                     const std::filesystem::path& backup = {});

/// The entries of a package that are whole, found without its directory: also of one that was cut off, or overwritten in part.
/// @param lost  receives the names of entries that begin in it and are not whole
std::vector<PackageEntry> salvage_entries(std::string_view package, std::vector<std::string>& lost);

/// A package to read from. A ZIP can promise far more than it holds: one that unpacks to more than 256 times its size and
/// a megabyte is refused before anything is unpacked. Problems are raised as BadFile, with the entry named.
class Package {
 public:
  /// @param what  what the file should be, for messages: "a job file"
  Package(const std::filesystem::path& path, const std::string& what);
  ~Package();
  Package(const Package&) = delete;
  Package& operator=(const Package&) = delete;

  /// An entry, unpacked.
  std::string read(const std::string& name) const;

  static constexpr std::uintmax_t max_unpacked_share = 256;

 private:
  struct Archive;
  std::unique_ptr<Archive> archive_;
};

}  // namespace anvil
