// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/result_store.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <memory>
#include <mutex>

#include "core/io/bytes.h"

namespace anvil {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view mark = "anvil result 4\n";

/// Raised where bytes end too early or say what cannot be.
struct NotWhole {};

/// Writes what it is given one after the other.
class Writer {
 public:
  std::string bytes;
  static constexpr bool reads = false;

  template <class T>
  void plain(T& value) {
    static_assert(std::is_trivially_copyable_v<T>);
    bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
  }
  void text(std::string& value) {
    std::uint64_t size = value.size();
    plain(size);
    bytes += value;
  }
  template <class T>
  void list(std::vector<T>& values) {
    std::uint64_t size = values.size();
    plain(size);
    bytes.append(reinterpret_cast<const char*>(values.data()), size * sizeof(T));
  }
  template <class T, class Each>
  void each(std::vector<T>& values, Each&& one) {
    std::uint64_t size = values.size();
    plain(size);
    for (T& value : values) one(*this, value);
  }
};

/// Reads the same in the same order.
class Reader {
 public:
  explicit Reader(std::string_view all) : left(all) {}
  std::string_view left;
  static constexpr bool reads = true;

  std::string_view take(std::uint64_t size) {
    if (size > left.size()) throw NotWhole{};
    const std::string_view taken = left.substr(0, size);
    left.remove_prefix(size);
    return taken;
  }
  template <class T>
  void plain(T& value) {
    std::memcpy(&value, take(sizeof value).data(), sizeof value);
  }
  void text(std::string& value) {
    std::uint64_t size = 0;
    plain(size);
    value = std::string(take(size));
  }
  template <class T>
  void list(std::vector<T>& values) {
    std::uint64_t size = 0;
    plain(size);
    if (size > left.size() / sizeof(T)) throw NotWhole{};
    const std::string_view taken = take(size * sizeof(T));
    values.resize(size);
    if (size > 0) std::memcpy(static_cast<void*>(values.data()), taken.data(), taken.size());
  }
  template <class T, class Each>
  void each(std::vector<T>& values, Each&& one) {
    std::uint64_t size = 0;
    plain(size);
    if (size > left.size()) throw NotWhole{};
    values.resize(size);
    for (T& value : values) one(*this, value);
  }
};

/// Notes stand beside the code that tells them; one that is read is told by the same words.
const Note* note_of(std::string key, std::string one, std::string many, Note::Place place) {
  struct Words {
    std::string key, one, many;
    Note note;
  };
  static std::mutex mutex;
  static std::map<std::string, std::unique_ptr<Words>> known;
  const std::lock_guard lock(mutex);
  std::unique_ptr<Words>& words = known[key + '\0' + one + '\0' + many + static_cast<char>(place)];
  if (!words) {
    words = std::make_unique<Words>(Words{std::move(key), std::move(one), std::move(many), {}});
    words->note = {words->key.c_str(), words->one.c_str(), words->many.c_str(), place};
  }
  return &words->note;
}

void pass(auto& archive, Vec3& v) {
  for (int k = 0; k < 3; ++k) archive.plain(v[k]);
}
constexpr auto pass_point = [](auto& archive, Vec3& v) { pass(archive, v); };

void pass(auto& archive, Mesh& mesh) {
  archive.each(mesh.positions, pass_point);
  archive.list(mesh.corners);
  archive.list(mesh.face_offsets);
  archive.each(mesh.materials.names, [](auto& a, std::string& name) { a.text(name); });
  archive.list(mesh.materials.of_face);
  archive.list(mesh.origins);
  archive.list(mesh.regions);
  archive.plain(mesh.cloud);
  archive.each(mesh.normals, pass_point);
}

void pass(auto& archive, Box3& box) {
  pass(archive, box.lo);
  pass(archive, box.hi);
}

void pass(auto& archive, OperationReport& report) {
  archive.each(report.done, [](auto& a, OperationReport::Done& done) {
    Note note = done.note == nullptr ? Note{"", "", ""} : *done.note;
    std::string key = note.key, one = note.one, many = note.many;
    a.text(key);
    a.text(one);
    a.text(many);
    a.plain(note.place);
    if (a.reads) done.note = note_of(key, one, many, note.place);
    std::uint64_t count = done.count;
    a.plain(count);
    done.count = count;
    a.text(done.part);
    a.each(done.places, pass_point);
  });
  archive.each(report.stages, [](auto& a, OperationReport::Stage& stage) {
    a.text(stage.name);
    a.plain(stage.seconds);
  });
  archive.plain(report.seconds);
  archive.plain(report.moved);
  archive.each(report.fallbacks, [](auto& a, std::string& name) { a.text(name); });
  archive.text(report.empty_reason);
}

void pass_family(auto& archive, const Family*& family) {
  std::string key = family == nullptr ? "" : family->key;
  archive.text(key);
  if (!archive.reads) return;
  const FamilyTable table = family_table();
  const auto it = std::find_if(table.begin(), table.end(), [&](const Family* f) { return key == f->key; });
  if (it == table.end()) throw NotWhole{};
  family = *it;
}

void pass(auto& archive, SoundnessReport& report) {
  archive.each(report.families, [](auto& a, FamilyReport& found) {
    pass_family(a, found.family);
    a.plain(found.count);
    a.each(found.defects, [](auto& b, Defect& defect) {
      pass_family(b, defect.family);
      b.text(defect.kind);
      b.list(defect.faces);
      b.list(defect.edges);
      b.list(defect.vertices);
      pass(b, defect.position);
      b.plain(defect.size);
      b.plain(defect.count);
      b.plain(defect.length);
      b.plain(defect.planar);
      b.text(defect.note);
    });
  });
  for (std::size_t* number : {&report.vertices, &report.triangles, &report.polygons, &report.edges, &report.shells}) archive.plain(*number);
  archive.plain(report.volume);
  archive.plain(report.area);
  pass(archive, report.bounds);
  bool has_genus = report.genus.has_value();
  long long genus = report.genus.value_or(0);
  archive.plain(has_genus);
  archive.plain(genus);
  if (has_genus) report.genus = genus;
  archive.plain(report.sound);
}

/// Something behind a pointer, or nothing.
template <class T>
void pass_shared(auto& archive, std::shared_ptr<const T>& pointer) {
  bool is_there = pointer != nullptr;
  archive.plain(is_there);
  if (!is_there) return;
  if (archive.reads) {
    auto made = std::make_shared<T>();
    pass(archive, *made);
    pointer = std::move(made);
  } else {
    pass(archive, const_cast<T&>(*pointer));  // a writer changes nothing
  }
}

void pass(auto& archive, OneWay& way) {
  archive.plain(way.max);
  archive.plain(way.mean);
  pass(archive, way.place);
  archive.list(way.at_vertex);
  archive.list(way.in_triangle);
}

void pass(auto& archive, Comparison& comparison) {
  archive.each(comparison.repairs, [](auto& a, PlannedRepair& repair) {
    a.text(repair.key);
    a.text(repair.words);
    a.plain(repair.count);
    a.each(repair.places, pass_point);
  });
  for (Numbers* numbers : {&comparison.numbers_before, &comparison.numbers_after}) {
    archive.plain(numbers->triangles);
    archive.plain(numbers->volume);
    archive.plain(numbers->area);
    archive.plain(numbers->closed);
  }
  pass_shared(archive, comparison.before);
  pass_shared(archive, comparison.after);
  pass(archive, comparison.deviation.from_new);
  pass(archive, comparison.deviation.from_old);
  archive.each(comparison.left, [](auto& a, std::string& why) { a.text(why); });
}

void pass(auto& archive, Evaluated& evaluated) {
  pass_shared(archive, evaluated.mesh);
  archive.each(evaluated.steps, [](auto& a, StepReport& step) {
    a.plain(step.step);
    pass(a, step.report);
    pass_shared(a, step.comparison);
    a.each(step.grips, [](auto& b, Grip& grip) {
      b.plain(grip.what);
      b.text(grip.field);
      b.plain(grip.component);
      for (Vec3* v : {&grip.origin, &grip.way, &grip.frame.origin, &grip.frame.u, &grip.frame.v, &grip.frame.normal}) pass(b, *v);
      b.each(grip.elsewhere, [](auto& c, Grip::Place& place) { pass(c, place.origin), pass(c, place.way); });
    });
    a.each(step.guides, [](auto& b, Guide& guide) {
      b.each(guide.line, pass_point);
      b.text(guide.remark);
    });
  });
  archive.list(evaluated.piece);
  archive.plain(evaluated.pieces);
  archive.plain(evaluated.open_on_purpose);
  archive.plain(evaluated.free_of_crossings);
  archive.list(evaluated.fresh_edges);
  archive.plain(evaluated.cast_parts);
  archive.plain(evaluated.cast_steps);
}

ContentKey sum_of(std::string_view bytes) { return ContentKey{}.with(bytes); }

}  // namespace

std::string result_to_bytes(const Evaluated& evaluated, const ReportPtr& report) {
  Writer writer;
  writer.bytes = mark;
  pass(writer, const_cast<Evaluated&>(evaluated));  // a writer changes nothing
  ReportPtr with = report;
  pass_shared(writer, with);
  ContentKey sum = sum_of(writer.bytes);
  writer.plain(sum);
  return std::move(writer.bytes);
}

std::optional<ResultStore::Kept> result_from_bytes(std::string_view bytes) {
  if (!bytes.starts_with(mark) || bytes.size() < mark.size() + sizeof(ContentKey)) return std::nullopt;
  const std::string_view all = bytes.substr(0, bytes.size() - sizeof(ContentKey));
  ContentKey sum;
  std::memcpy(&sum, bytes.data() + all.size(), sizeof sum);
  if (sum != sum_of(all)) return std::nullopt;
  try {
    Reader reader(all.substr(mark.size()));
    ResultStore::Kept kept;
    pass(reader, kept.evaluated);
    pass_shared(reader, kept.report);
    if (!reader.left.empty() || kept.evaluated.mesh == nullptr) return std::nullopt;
    return kept;
  } catch (const NotWhole&) {
    return std::nullopt;
  }
}

ResultStore::ResultStore(fs::path folder, const std::string& maker, std::uintmax_t limit) : limit_(limit) {
  const ContentKey key = ContentKey{}.with(maker);
  folder_ = folder / fmt::format("{:016x}", key.a);
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder, error))
    if (entry.path() != folder_) fs::remove_all(entry.path(), error);
  fs::create_directories(folder_, error);
}

fs::path ResultStore::file_of(const ContentKey& key) const { return folder_ / fmt::format("{:016x}{:016x}.result", key.a, key.b); }

bool ResultStore::has(const ContentKey& key) const {
  std::error_code error;
  return fs::exists(file_of(key), error);
}

std::optional<ResultStore::Kept> ResultStore::load(const ContentKey& key) const {
  if (!has(key)) return std::nullopt;
  const fs::path file = file_of(key);
  const Result<FileBytes> bytes = FileBytes::read(file);
  std::error_code error;
  std::optional<Kept> kept = bytes ? result_from_bytes(bytes->view()) : std::nullopt;
  if (kept)
    fs::last_write_time(file, fs::file_time_type::clock::now(), error);
  else
    fs::remove(file, error);
  return kept;
}

void ResultStore::save(const ContentKey& key, const Evaluated& evaluated, const ReportPtr& report) {
  const std::string bytes = result_to_bytes(evaluated, report);
  if (bytes.size() > limit_ / 2) return;
  const std::lock_guard lock(changing_);
  if (write_bytes(file_of(key), bytes)) trim();
}

std::uintmax_t ResultStore::bytes() const {
  std::uintmax_t sum = 0;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder_, error)) sum += entry.file_size(error);
  return sum;
}

void ResultStore::clear() {
  const std::lock_guard lock(changing_);
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder_, error)) fs::remove(entry.path(), error);
}

void ResultStore::trim() {
  struct File {
    fs::file_time_type used;
    fs::path path;
    std::uintmax_t bytes;
  };
  std::vector<File> files;
  std::uintmax_t sum = 0;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder_, error)) {
    const std::uintmax_t bytes = entry.file_size(error);
    if (error) continue;  // removed meanwhile, as not whole
    files.push_back({entry.last_write_time(error), entry.path(), bytes});
    sum += bytes;
  }
  if (sum <= limit_) return;
  std::sort(files.begin(), files.end(), [](const File& a, const File& b) { return a.used < b.used; });
  for (const File& file : files) {
    if (sum <= limit_) break;
    if (fs::remove(file.path, error)) sum -= file.bytes;
  }
}

}  // namespace anvil
