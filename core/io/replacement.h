// SPDX-License-Identifier: GPL-3.0-or-later
// A file that is written beside the one that it is to replace, and takes its place only once it is whole.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string_view>

#include "core/result.h"

namespace anvil {

/// The file under way has a short name of its own, whatever the other is called, and is locked while its program lives: what
/// killed programs have left in a folder goes when the next file is written there.
class Replacement {
 public:
  /// Begins one. Where `path` leads over symbolic links, the file at their end is meant.
  /// @return an Issue where something else than a file is there, or a file that may not be written
  static Result<Replacement> of(const std::filesystem::path& path);
  Replacement(Replacement&& other) noexcept;
  Replacement& operator=(Replacement&&) = delete;
  /// Unless it has taken its place, it goes.
  ~Replacement();

  /// Where it is under way.
  const std::filesystem::path& temporary() const { return temporary_; }
  Result<bool> write(std::string_view contents);
  /// Flushes it to disk and moves it into place, with the permissions of what was there.
  /// @param backup  a name in the same folder under which what was there stays, in place of what that name held; empty: it goes.
  ///                Where that cannot be done, everything stays as it was
  /// @return its size in bytes
  Result<std::uintmax_t> take_place(const std::filesystem::path& backup = {});

 private:
  Replacement(std::filesystem::path asked, std::filesystem::path target, std::filesystem::path temporary, int file)
      : asked_(std::move(asked)), target_(std::move(target)), temporary_(std::move(temporary)), file_(file) {}
  std::filesystem::path asked_;      ///< for messages
  std::filesystem::path target_;     ///< with links followed
  std::filesystem::path temporary_;  ///< empty once it is in place
  int file_;                         ///< open and locked
};

/// For a program that is about to end by a signal, from any thread: files under way go, and whoever begins one, ends one or puts one in place
/// waits until the program has ended.
void abandon_replacements();

/// Are the two names of one file: the same, or by links, or because neither is there yet and both would be made at one place?
bool is_same_file(const std::filesystem::path& one, const std::filesystem::path& other);

}  // namespace anvil
