// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/bytes.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/io/replacement.h"

namespace anvil {
namespace {

struct Descriptor {
  int fd;
  ~Descriptor() {
    if (fd >= 0) ::close(fd);
  }
};

}  // namespace

Issue file_issue(const char* verb, const std::filesystem::path& path, int error) {
  std::string remedy = "check the name and the folder";
  if (error == EACCES || error == EPERM || error == EROFS) remedy = "check the permissions of the file and its folder";
  if (error == ENOSPC || error == EDQUOT || error == EFBIG) remedy = "free some space or choose another disk";
  if (error == ENAMETOOLONG) remedy = "choose a shorter name";
  return {fmt::format("cannot {}: {}", verb, std::strerror(error)), path.string(), {}, remedy};
}

Result<FileBytes> FileBytes::read(const std::filesystem::path& path) {
  Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
  if (file.fd < 0) return file_issue("open", path, errno);
  struct stat status;
  if (::fstat(file.fd, &status) != 0) return file_issue("read", path, errno);
  if (S_ISDIR(status.st_mode))
    return Issue{"is a folder, not a file", path.string(), {}, "choose a mesh file inside it"};
  if (!S_ISREG(status.st_mode))
    return Issue{"is not a regular file", path.string(), {}, "choose a mesh file"};
  FileBytes bytes;
  bytes.size_ = static_cast<std::size_t>(status.st_size);
  bytes.data_ = std::make_unique_for_overwrite<char[]>(bytes.size_ + 1);
  std::size_t done = 0;
  while (done < bytes.size_) {
    const ssize_t n = ::read(file.fd, bytes.data_.get() + done, bytes.size_ - done);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return file_issue("read", path, errno);
    if (n == 0) break;
    done += static_cast<std::size_t>(n);
  }
  bytes.size_ = done;
  bytes.data_[done] = '\0';
  return bytes;
}

Result<std::uintmax_t> write_bytes(const std::filesystem::path& path, std::string_view contents, const std::filesystem::path& backup) {
  Result<Replacement> replacement = Replacement::of(path);
  if (!replacement) return replacement.issue();
  if (Result<bool> written = replacement->write(contents); !written) return written.issue();
  return replacement->take_place(backup);
}

}  // namespace anvil
