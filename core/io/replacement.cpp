// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/replacement.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <mutex>
#include <random>
#include <set>
#include <utility>

#include "core/io/bytes.h"

namespace anvil {
namespace {

constexpr std::string_view name_begins = ".clean-anvil-", name_ends = ".part";

/// The files of this program that are under way.
struct UnderWay {
  std::mutex mutex;
  std::set<std::filesystem::path> files;
};
/// Never taken down: a thread may write a file while the program ends.
UnderWay& under_way() {
  static UnderWay& all = *new UnderWay;
  return all;
}

/// The file that a name means in the end; what is not there yet is where its folder is.
std::filesystem::path followed(const std::filesystem::path& path) {
  constexpr int most_links = 40;
  std::filesystem::path at = path;
  std::error_code error;
  for (int k = 0; k < most_links && std::filesystem::is_symlink(std::filesystem::symlink_status(at, error)); ++k) {
    const std::filesystem::path to = std::filesystem::read_symlink(at, error);
    if (error) break;
    at = to.is_absolute() ? to : at.parent_path() / to;
  }
  return at;
}

std::filesystem::path folder_of(const std::filesystem::path& path) { return path.has_parent_path() ? path.parent_path() : std::filesystem::path("."); }

/// Removes files under way that no program holds any more.
void clear_leavings(const std::filesystem::path& folder) {
  std::error_code error;
  for (const auto& entry : std::filesystem::directory_iterator(folder, error)) {
    const std::string name = entry.path().filename().string();
    if (!name.starts_with(name_begins) || !name.ends_with(name_ends)) continue;
    const int file = ::open(entry.path().c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    if (file < 0) continue;
    if (::flock(file, LOCK_EX | LOCK_NB) == 0) ::unlink(entry.path().c_str());
    ::close(file);
  }
}

/// Gives a file a second name, in place of what had it. Where names cannot share a file it is copied.
bool keep_as(const std::filesystem::path& path, const std::filesystem::path& name, const std::filesystem::path& passing) {
  std::error_code error;
  std::filesystem::create_hard_link(path, passing, error);
  if (error) std::filesystem::copy_file(path, passing, error);
  if (!error && ::rename(passing.c_str(), name.c_str()) == 0) {
    // Where both names are one file already, rename() leaves both.
    std::filesystem::remove(passing, error);
    return true;
  }
  const int why = error ? error.value() : errno;
  std::filesystem::remove(passing, error);
  errno = why;
  return false;
}

}  // namespace

Result<Replacement> Replacement::of(const std::filesystem::path& path) {
  const std::filesystem::path target = followed(path);
  struct stat there;
  const bool exists = ::stat(target.c_str(), &there) == 0;
  if (exists && S_ISDIR(there.st_mode)) return Issue{"is a folder", path.string(), {}, "choose a file name inside it"};
  if (exists && !S_ISREG(there.st_mode)) return Issue{"is not a regular file", path.string(), {}, "choose another name"};
  if (exists && ::access(target.c_str(), W_OK) != 0) return file_issue("write", path, errno);
  const std::filesystem::path folder = folder_of(target);
  clear_leavings(folder);
  std::random_device random;
  constexpr int tries = 100;
  for (int k = 0; k < tries; ++k) {
    const std::filesystem::path temporary = folder / fmt::format("{}{:08x}{:08x}{}", name_begins, random(), random(), name_ends);
    std::unique_lock lock(under_way().mutex);
    const int file = ::open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    if (file < 0 && errno == EEXIST) continue;
    if (file < 0) return file_issue("write", path, errno);
    under_way().files.insert(temporary);
    lock.unlock();
    Replacement made(path, target, temporary, file);
    // Between making it and locking it another program may have taken it for left.
    struct stat own, named;
    if (::flock(file, LOCK_EX | LOCK_NB) != 0 && errno != ENOLCK && errno != EOPNOTSUPP) continue;
    if (::fstat(file, &own) != 0 || ::stat(temporary.c_str(), &named) != 0 || own.st_ino != named.st_ino) continue;
    if (exists) {
      // Whose it was it may not be able to stay.
      if (::fchown(file, there.st_uid, there.st_gid) != 0) (void)!::fchown(file, static_cast<uid_t>(-1), there.st_gid);
      (void)::fchmod(file, there.st_mode & 07777);
    }
    return made;
  }
  return file_issue("write", path, EEXIST);
}

Replacement::Replacement(Replacement&& other) noexcept
    : asked_(std::move(other.asked_)), target_(std::move(other.target_)), temporary_(std::exchange(other.temporary_, {})), file_(std::exchange(other.file_, -1)) {}

Replacement::~Replacement() {
  if (!temporary_.empty()) {
    const std::lock_guard lock(under_way().mutex);
    ::unlink(temporary_.c_str());
    under_way().files.erase(temporary_);
  }
  if (file_ >= 0) ::close(file_);
}

Result<bool> Replacement::write(std::string_view contents) {
  while (!contents.empty()) {
    const ssize_t n = ::write(file_, contents.data(), std::min<std::size_t>(contents.size(), 1 << 26));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return file_issue("write", asked_, errno);
    contents.remove_prefix(static_cast<std::size_t>(n));
  }
  return true;
}

Result<std::uintmax_t> Replacement::take_place(const std::filesystem::path& backup) {
  struct stat own;
  if (::fsync(file_) != 0 || ::fstat(file_, &own) != 0) return file_issue("write", asked_, errno);
  std::error_code error;
  std::unique_lock lock(under_way().mutex);
  if (!backup.empty() && std::filesystem::exists(target_, error)) {
    // Beside the file itself, which may not be where its link is.
    std::filesystem::path passing = temporary_;
    passing.replace_filename(temporary_.filename().string().substr(0, temporary_.filename().string().size() - name_ends.size()) + ".backup" + std::string(name_ends));
    if (!keep_as(target_, folder_of(target_) / backup.filename(), passing)) return file_issue("keep a backup of", asked_, errno);
  }
  if (::rename(temporary_.c_str(), target_.c_str()) != 0) return file_issue("write", asked_, errno);
  under_way().files.erase(temporary_);
  temporary_.clear();
  lock.unlock();
  // So that the new name outlives a power cut as well.
  if (const int folder = ::open(folder_of(target_).c_str(), O_RDONLY | O_CLOEXEC | O_DIRECTORY); folder >= 0) {
    (void)::fsync(folder);
    ::close(folder);
  }
  return static_cast<std::uintmax_t>(own.st_size);
}

void abandon_replacements() {
  under_way().mutex.lock();  // for good
  for (const std::filesystem::path& file : under_way().files) ::unlink(file.c_str());
}

bool is_same_file(const std::filesystem::path& one, const std::filesystem::path& other) {
  std::error_code error;
  if (std::filesystem::equivalent(one, other, error)) return true;
  const std::filesystem::path first = followed(one), second = followed(other);
  if (std::filesystem::exists(first, error) || std::filesystem::exists(second, error)) return false;
  return first.filename() == second.filename() && std::filesystem::equivalent(folder_of(first), folder_of(second), error);
}

}  // namespace anvil
