// SPDX-License-Identifier: GPL-3.0-or-later
// Whole files in and out, and the error that a bad file raises inside io/.
#pragma once

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <string_view>

#include "core/result.h"

namespace anvil {

/// Raised by the format readers; becomes an Issue with the file's name in read_mesh().
struct BadFile {
  std::string what;    ///< what is wrong and at which line, facet or byte
  std::string remedy;  ///< what the user can do
};

/// A file's contents in memory.
class FileBytes {
 public:
  /// Reads a regular file; refuses directories, devices and unreadable files.
  static Result<FileBytes> read(const std::filesystem::path& path);
  std::string_view view() const { return {data_.get(), size_}; }

 private:
  std::unique_ptr<char[]> data_;
  std::size_t size_ = 0;
};

/// What went wrong with a file, by the number that the system gives: "cannot write: No space left on device".
Issue file_issue(const char* verb, const std::filesystem::path& path, int error);

/// Writes a file whole, or leaves what was there (core/io/replacement.h).
/// @param backup  as Replacement::take_place() has it
/// @return bytes written
Result<std::uintmax_t> write_bytes(const std::filesystem::path& path, std::string_view contents, const std::filesystem::path& backup = {});

}  // namespace anvil
