// SPDX-License-Identifier: GPL-3.0-or-later
// A lock that lives as long as the program that holds it, however that ends.
#pragma once

#include <filesystem>
#include <optional>

namespace anvil {

/// Held by the system on an open file, so that no number of a process that may be another's by now says who lives. The file stays
/// empty, and goes with the lock unless its program is killed.
class FileLock {
 public:
  /// @return nothing where another program, or another lock of this one, holds it, or the folder takes no file
  static std::optional<FileLock> take(const std::filesystem::path& path);
  FileLock(FileLock&& other) noexcept;
  FileLock& operator=(FileLock&& other) noexcept;
  ~FileLock();

 private:
  FileLock(std::filesystem::path path, int file) : path_(std::move(path)), file_(file) {}
  std::filesystem::path path_;
  int file_;
};

}  // namespace anvil
