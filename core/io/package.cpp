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

}  // namespace anvil
