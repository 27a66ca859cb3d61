// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/package.h"

#include <fmt/format.h>
#include <zip.h>
#include <zlib.h>

#include <algorithm>
#include <memory>
#include <optional>

#include "core/io/bytes.h"

namespace anvil {
namespace {

constexpr time_t no_date = 315532800;  // 1980-01-01, the first that a ZIP can tell

Issue cannot_pack(const char* why) { return {fmt::format("cannot be packed: {}", why), {}, {}, "close other jobs, and write it again"}; }

}  // namespace

Result<std::string> package_bytes(const std::vector<PackageEntry>& entries, const Control& control) {
  zip_error_t error;
  zip_error_init(&error);
  const std::unique_ptr<zip_error_t, decltype(&zip_error_fini)> ends(&error, &zip_error_fini);
  // In memory: a file under way is ours to name and to lock.
  zip_source_t* const made = zip_source_buffer_create(nullptr, 0, 0, &error);
  if (made == nullptr) return cannot_pack(zip_error_strerror(&error));
  zip_source_keep(made);
  const std::unique_ptr<zip_source_t, decltype(&zip_source_free)> kept(made, &zip_source_free);
  std::unique_ptr<zip_t, decltype(&zip_discard)> zip(zip_open_from_source(made, ZIP_TRUNCATE, &error), &zip_discard);
  if (zip == nullptr) {
    zip_source_free(made);  // which the archive would have
    return cannot_pack(zip_error_strerror(&error));
  }
  for (const PackageEntry& entry : entries) {
    zip_source_t* source = zip_source_buffer(zip.get(), entry.contents.data(), entry.contents.size(), 0);
    const zip_int64_t index = source == nullptr ? -1 : zip_file_add(zip.get(), entry.name.c_str(), source, ZIP_FL_ENC_UTF_8);
    if (index < 0) {
      if (source != nullptr) zip_source_free(source);
      return cannot_pack(zip_strerror(zip.get()));
    }
    zip_set_file_compression(zip.get(), static_cast<zip_uint64_t>(index), ZIP_CM_DEFLATE, 1);
    zip_file_set_mtime(zip.get(), static_cast<zip_uint64_t>(index), no_date, 0);
  }
  const auto is_stopped = [](zip_t*, void* stop) -> int { return static_cast<const std::stop_token*>(stop)->stop_requested(); };
  zip_register_cancel_callback_with_state(zip.get(), is_stopped, nullptr, const_cast<std::stop_token*>(&control.stop));
  const bool closed = zip_close(zip.get()) == 0;
  check_stop(control);
  if (!closed)  // which leaves it to be discarded; else it is gone
    return cannot_pack(zip_strerror(zip.get()));
  (void)zip.release();
  zip_stat_t status;
  if (zip_source_stat(made, &status) != 0 || zip_source_open(made) != 0) return cannot_pack("it cannot be read back");
  std::string bytes(status.size, '\0');
  std::size_t done = 0;
  while (done < bytes.size()) {
    const zip_int64_t n = zip_source_read(made, bytes.data() + done, bytes.size() - done);
    if (n <= 0) break;
    done += static_cast<std::size_t>(n);
  }
  zip_source_close(made);
  if (done != bytes.size()) return cannot_pack("it cannot be read back");
  return bytes;
}

Result<std::uintmax_t> write_package(const std::filesystem::path& path, const std::vector<PackageEntry>& entries, const std::filesystem::path& backup) {
  Result<std::string> bytes = package_bytes(entries);
  if (bytes) return write_bytes(path, *bytes, backup);
  bytes.issue().subject = path.string();
  return bytes.issue();
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

namespace {

// A local file header (APPNOTE.TXT of the ZIP format, 4.3.7), by the places of its fields.
constexpr std::string_view header_mark("PK\x03\x04", 4);
constexpr std::size_t header_size = 30, method_at = 8, check_at = 14, packed_at = 18, name_at = 26, extra_at = 28;

std::uint32_t number_at(std::string_view bytes, std::size_t at, std::size_t size) {
  std::uint32_t value = 0;
  for (std::size_t k = size; k-- > 0;) value = value << 8 | static_cast<unsigned char>(bytes[at + k]);
  return value;
}

/// Unpacks a raw deflate stream at the beginning of `packed`. @param most  bytes that it may have unpacked
std::optional<std::string> inflated(std::string_view packed, std::size_t most) {
  z_stream stream{};
  if (inflateInit2(&stream, -MAX_WBITS) != Z_OK) return std::nullopt;
  const std::unique_ptr<z_stream, decltype(&inflateEnd)> ends(&stream, &inflateEnd);
  std::string out, block(std::size_t{1} << 16, '\0');
  int state = Z_OK;
  while (state == Z_OK && out.size() <= most) {
    if (stream.avail_in == 0) {
      if (packed.empty()) return std::nullopt;
      const std::size_t take = std::min<std::size_t>(packed.size(), std::size_t{1} << 30);
      stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(packed.data()));
      stream.avail_in = static_cast<uInt>(take);
      packed.remove_prefix(take);
    }
    stream.next_out = reinterpret_cast<Bytef*>(block.data());
    stream.avail_out = static_cast<uInt>(block.size());
    state = inflate(&stream, Z_NO_FLUSH);
    out.append(block, 0, block.size() - stream.avail_out);
  }
  return state == Z_STREAM_END ? std::optional(std::move(out)) : std::nullopt;
}

}  // namespace

std::vector<PackageEntry> salvage_entries(std::string_view package, std::vector<std::string>& lost) {
  std::vector<PackageEntry> whole;
  std::size_t allowed = Package::max_unpacked_share * package.size() + (std::size_t{1} << 20);
  for (std::size_t at = package.find(header_mark); at != std::string_view::npos; at = package.find(header_mark, at + 1)) {
    if (package.size() - at < header_size) break;
    const std::string_view header = package.substr(at);
    const std::size_t name_size = number_at(header, name_at, 2), data_at = header_size + name_size + number_at(header, extra_at, 2);
    if (data_at > header.size()) continue;
    const std::string name(header.substr(header_size, name_size));
    std::optional<std::string> contents;
    switch (number_at(header, method_at, 2)) {
      case ZIP_CM_STORE:
        if (const std::size_t size = number_at(header, packed_at, 4); size <= header.size() - data_at) contents = std::string(header.substr(data_at, size));
        break;
      case ZIP_CM_DEFLATE: contents = inflated(header.substr(data_at), allowed); break;
      default: break;
    }
    if (!contents || crc32_z(0, reinterpret_cast<const Bytef*>(contents->data()), contents->size()) != number_at(header, check_at, 4)) {
      lost.push_back(name);
      continue;
    }
    allowed -= std::min(allowed, contents->size());
    whole.push_back({name, std::move(*contents)});
  }
  return whole;
}

}  // namespace anvil
