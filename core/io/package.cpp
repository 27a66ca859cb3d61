// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/package.h"

#include <fmt/format.h>
#include <zip.h>

#include <memory>

#include "core/io/bytes.h"

namespace anvil {
namespace {

constexpr time_t no_date = 315532800;  // 1980-01-01, the first that a ZIP can tell

Result<bool> write_zip(const std::filesystem::path& path, const std::vector<PackageEntry>& entries) {
  int error = 0;
  std::unique_ptr<zip_t, decltype(&zip_discard)> zip(zip_open(path.c_str(), ZIP_CREATE | ZIP_EXCL, &error), &zip_discard);
  if (zip == nullptr) {
    zip_error_t details;
    zip_error_init_with_code(&details, error);
    Issue issue{fmt::format("cannot write: {}", zip_error_strerror(&details)), {}, {}, "check the folder and its permissions"};
    zip_error_fini(&details);
    return issue;
  }
  for (const PackageEntry& entry : entries) {
    zip_source_t* source = zip_source_buffer(zip.get(), entry.contents.data(), entry.contents.size(), 0);
    const zip_int64_t index = source == nullptr ? -1 : zip_file_add(zip.get(), entry.name.c_str(), source, ZIP_FL_ENC_UTF_8);
    if (index < 0) {
      if (source != nullptr) zip_source_free(source);
      return Issue{fmt::format("cannot add {}: {}", entry.name, zip_strerror(zip.get())), {}, {}, "choose another disk"};
    }
    zip_set_file_compression(zip.get(), static_cast<zip_uint64_t>(index), ZIP_CM_DEFLATE, 1);
    zip_file_set_mtime(zip.get(), static_cast<zip_uint64_t>(index), no_date, 0);
  }
  if (zip_close(zip.get()) != 0)  // which leaves it to be discarded; else it is gone
    return Issue{fmt::format("cannot write: {}", zip_strerror(zip.get())), {}, {}, "free some space or choose another disk"};
  (void)zip.release();
  return true;
}

}  // namespace

Result<std::uintmax_t> write_package(const std::filesystem::path& path, const std::vector<PackageEntry>& entries) {
  return write_through_temporary(path, [&](const std::filesystem::path& temporary) { return write_zip(temporary, entries); });
}

struct Package::Archive {
  zip_t* zip = nullptr;
  ~Archive() {
    if (zip != nullptr) zip_discard(zip);
  }
};

Package::Package(const std::filesystem::path& path, const std::string& what) : archive_(std::make_unique<Archive>()) {
  int error = 0;
  archive_->zip = zip_open(path.c_str(), ZIP_RDONLY, &error);
  if (archive_->zip == nullptr) throw BadFile{fmt::format("it is not {} (not a ZIP)", what), fmt::format("choose {}", what)};
  std::uintmax_t unpacked = 0;
  for (zip_int64_t i = 0; i < zip_get_num_entries(archive_->zip, 0); ++i) {
    zip_stat_t status;
    if (zip_stat_index(archive_->zip, static_cast<zip_uint64_t>(i), 0, &status) == 0) unpacked += status.size;
  }
  std::error_code ignored;
  if (unpacked > max_unpacked_share * std::filesystem::file_size(path, ignored) + (std::uintmax_t{1} << 20))
    throw BadFile{fmt::format("it unpacks to {} bytes, more than {} times its size", unpacked, max_unpacked_share),
                  "it may be damaged or hostile: use another copy"};
}

Package::~Package() = default;

std::string Package::read(const std::string& name) const {
  auto bad = [&](const char* what) { return BadFile{fmt::format("the entry {} {}", name, what), "restore it from a backup"}; };
  zip_stat_t status;
  if (zip_stat(archive_->zip, name.c_str(), 0, &status) != 0) throw bad("is missing");
  std::string contents(status.size, '\0');
  zip_file_t* file = zip_fopen(archive_->zip, name.c_str(), 0);
  if (file == nullptr) throw bad("cannot be opened");
  const zip_int64_t n = zip_fread(file, contents.data(), contents.size());
  const int closed = zip_fclose(file);
  if (n != static_cast<zip_int64_t>(contents.size()) || closed != 0) throw bad("is damaged");
  return contents;
}

}  // namespace anvil
