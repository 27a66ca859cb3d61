// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/bytes.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstring>

namespace anvil {
namespace {

struct Descriptor {
  int fd;
  ~Descriptor() {
    if (fd >= 0) ::close(fd);
  }
};

Issue cannot(const char* verb, const std::filesystem::path& path, int error) {
  std::string remedy = "check the name and the folder";
  if (error == EACCES || error == EPERM || error == EROFS)
    remedy = "check the permissions of the file and its folder";
  if (error == ENOSPC || error == EDQUOT) remedy = "free some space or choose another disk";
  return {fmt::format("cannot {}: {}", verb, std::strerror(error)), path.string(), {}, remedy};
}

/// A write that ran into a full disk or a size limit must not leave the process with a signal.
Result<bool> write_all(const std::filesystem::path& path, std::string_view contents) {
  Descriptor file{::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666)};
  if (file.fd < 0) return cannot("write", path, errno);
  while (!contents.empty()) {
    const ssize_t n = ::write(file.fd, contents.data(), std::min<std::size_t>(contents.size(), 1 << 26));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return cannot("write", path, errno);
    contents.remove_prefix(static_cast<std::size_t>(n));
  }
  return true;
}

}  // namespace

Result<FileBytes> FileBytes::read(const std::filesystem::path& path) {
  Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
  if (file.fd < 0) return cannot("open", path, errno);
  struct stat status;
  if (::fstat(file.fd, &status) != 0) return cannot("read", path, errno);
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
    if (n < 0) return cannot("read", path, errno);
    if (n == 0) break;
    done += static_cast<std::size_t>(n);
  }
  bytes.size_ = done;
  bytes.data_[done] = '\0';
  return bytes;
}

namespace {

/// Removes what programs that were killed while they wrote this file have left: "name.4711.part".
void clear_leavings(const std::filesystem::path& path) {
  std::error_code error;
  const std::string begin = path.filename().string() + ".", end = ".part";
  for (const auto& entry : std::filesystem::directory_iterator(path.parent_path().empty() ? std::filesystem::path(".") : path.parent_path(), error)) {
    const std::string name = entry.path().filename().string();
    if (name.size() <= begin.size() + end.size() || !name.starts_with(begin) || !name.ends_with(end)) continue;
    const std::string number = name.substr(begin.size(), name.size() - begin.size() - end.size());
    if (number.find_first_not_of("0123456789") != std::string::npos || number.size() > 9) continue;
    if (::kill(static_cast<pid_t>(std::stoi(number)), 0) != 0 && errno == ESRCH) std::filesystem::remove(entry.path(), error);
  }
}

/// Gives a file a second name, in place of what had it. Where names cannot share a file it is copied.
bool keep_as(const std::filesystem::path& path, const std::filesystem::path& name) {
  std::error_code error;
  std::filesystem::path temporary = name;
  temporary += fmt::format(".{}.part", ::getpid());
  std::filesystem::remove(temporary, error);
  std::filesystem::create_hard_link(path, temporary, error);
  if (error) std::filesystem::copy_file(path, temporary, error);
  if (!error && ::rename(temporary.c_str(), name.c_str()) == 0) {
    // Where both names are one file already, rename() leaves both.
    std::filesystem::remove(temporary, error);
    return true;
  }
  const int why = error ? error.value() : errno;
  std::filesystem::remove(temporary, error);
  errno = why;
  return false;
}

}  // namespace

Result<std::uintmax_t> write_through_temporary(
    const std::filesystem::path& path,
    const std::function<Result<bool>(const std::filesystem::path& temporary)>& produce, const std::filesystem::path& backup) {
  std::error_code error;
  if (std::filesystem::is_directory(path, error))
    return Issue{"is a folder", path.string(), {}, "choose a file name inside it"};
  std::filesystem::path temporary = path;
  temporary += fmt::format(".{}.part", ::getpid());
  std::filesystem::remove(temporary, error);
  auto fail = [&](Issue issue) {
    std::filesystem::remove(temporary, error);
    issue.subject = path.string();
    return issue;
  };
  if (Result<bool> written = produce(temporary); !written) return fail(written.issue());
  {
    Descriptor file{::open(temporary.c_str(), O_RDONLY | O_CLOEXEC)};
    if (file.fd < 0 || ::fsync(file.fd) != 0) return fail(cannot("write", path, errno));
  }
  const std::uintmax_t size = std::filesystem::file_size(temporary, error);
  if (!backup.empty() && std::filesystem::exists(path, error) && !keep_as(path, backup)) return fail(cannot("keep a backup of it", path, errno));
  if (::rename(temporary.c_str(), path.c_str()) != 0) return fail(cannot("write", path, errno));
  clear_leavings(path);
  return size;
}

Result<std::uintmax_t> write_bytes(const std::filesystem::path& path, std::string_view contents) {
  return write_through_temporary(
      path, [&](const std::filesystem::path& temporary) { return write_all(temporary, contents); });
}

}  // namespace anvil
