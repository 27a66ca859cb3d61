// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/file/file_lock.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <utility>

namespace anvil {

std::optional<FileLock> FileLock::take(const std::filesystem::path& path) {
  constexpr int tries = 10;
  for (int k = 0; k < tries; ++k) {
    const int file = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (file < 0) return std::nullopt;
    struct stat own, named;
    if (::flock(file, LOCK_EX | LOCK_NB) == 0 && ::fstat(file, &own) == 0) {
      // Its last holder may have removed it since it was opened.
      if (::stat(path.c_str(), &named) == 0 && own.st_ino == named.st_ino) return FileLock(path, file);
      ::close(file);
      continue;
    }
    ::close(file);
    return std::nullopt;
  }
  return std::nullopt;
}

FileLock::FileLock(FileLock&& other) noexcept : path_(std::move(other.path_)), file_(std::exchange(other.file_, -1)) {}

FileLock& FileLock::operator=(FileLock&& other) noexcept {
  std::swap(path_, other.path_);
  std::swap(file_, other.file_);
  return *this;
}

FileLock::~FileLock() {
  if (file_ < 0) return;
  ::unlink(path_.c_str());
  ::close(file_);
}

}  // namespace anvil
