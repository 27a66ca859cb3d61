// SPDX-License-Identifier: GPL-3.0-or-later
// Whole files in and out, and the error that a bad file raises inside io/.
#pragma once

#include <filesystem>
#include <functional>
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

/// Writes through a temporary name in the same folder, flushed to disk and then moved into place.
/// `produce` writes the file under the name it is given; on any failure that file is removed and `path`
/// stays as it was. What killed programs left half-written of it goes once it is whole.
/// @param backup  a name in the same folder under which what `path` held stays, in place of what that name held; empty: it goes.
///                Where that cannot be done, nothing is written.
Result<std::uintmax_t> write_through_temporary(
    const std::filesystem::path& path,
    const std::function<Result<bool>(const std::filesystem::path& temporary)>& produce, const std::filesystem::path& backup = {});

/// As above, for contents that are in memory already.
Result<std::uintmax_t> write_bytes(const std::filesystem::path& path, std::string_view contents);

}  // namespace anvil
