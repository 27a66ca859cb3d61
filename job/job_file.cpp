// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job_file.h"

#include <fmt/format.h>

#include <map>

#include "core/io/formats.h"
#include "core/io/mesh_file.h"
#include "core/io/package.h"
#include "job/job_json.h"

namespace anvil {

Result<Job> load_job(const std::filesystem::path& path, StepTable table) {
  if (Result<FileBytes> readable = FileBytes::read(path); !readable) return readable.issue();
  try {
    const Package package(path, "a job file");
    nlohmann::json document;
    try {
      document = nlohmann::json::parse(package.read("job.json"));
    } catch (const nlohmann::json::parse_error& bad) {
      throw BadFile{fmt::format("job.json: {}", bad.what()), "restore it from a backup"};
    }
    return job_from_json(
        document,
        [&](const std::string& entry) {
          try {
            Import import = read_ply(package.read(entry));
            check_range(import.mesh, import.notes);
            return std::move(import.mesh);
          } catch (const BadFile& bad) {
            throw BadFile{fmt::format("{}: {}", entry, bad.what), "restore it from a backup"};
          }
        },
        table);
  } catch (const BadFile& bad) {
    return Issue{bad.what, path.string(), {}, bad.remedy};
  } catch (const std::bad_alloc&) {
    return Issue{"there is not enough memory to read it", path.string(), {}, "close other jobs"};
  }
}

Result<std::uintmax_t> save_job(const Job& job, const std::filesystem::path& path) try {
  std::map<const Mesh*, std::string> entry_of;
  std::vector<PackageEntry> entries{{"job.json", {}}};
  const nlohmann::json document = job_to_json(job, [&](const std::shared_ptr<const Mesh>& mesh) {
    std::string& entry = entry_of[mesh.get()];
    if (entry.empty()) {
      entry = fmt::format("meshes/{}.ply", entry_of.size());
      entries.push_back({entry, write_ply(*mesh)});
    }
    return entry;
  });
  entries.front().contents = document.dump(1, ' ', false, nlohmann::json::error_handler_t::replace);
  return write_package(path, entries);
} catch (const std::bad_alloc&) {
  return Issue{"there is not enough memory to write it", path.string(), {}, "close other jobs, and save again"};
}

bool needs_unit(const std::filesystem::path& path) {
  const auto format = format_of(path);
  return format && *format != MeshFormat::threemf;
}

Result<Part> import_part(const std::filesystem::path& path, Unit unit, std::vector<std::string>* notes) {
  Result<Import> import = read_mesh(path);
  if (!import) return import.issue();
  if (!import->has_unit && unit != Unit::millimetre)
    for (Vec3& p : import->mesh.positions) p *= millimetres_per(unit);
  if (notes != nullptr) *notes = import->notes;
  Part part;
  part.name = path.stem().string();
  part.source =
      ImportedSource{std::make_shared<const Mesh>(std::move(import->mesh)), path.filename().string()};
  return part;
}

Mesh placed_together(const std::vector<PlacedMesh>& meshes) {
  Mesh all;
  for (const PlacedMesh& placed : meshes) {
    Mesh copy = *placed.mesh;
    copy.origins.clear();  // each counts from its own part
    place(copy, placed.placement);
    append(all, copy);
  }
  return all;
}

}  // namespace anvil
