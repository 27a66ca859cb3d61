// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/job_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/io/formats.h"
#include "core/io/mesh_file.h"
#include "core/io/package.h"
#include "job/file/json_text.h"
#include "job/job_json.h"

namespace anvil {

Result<Job> load_job(const std::filesystem::path& path, StepTable table) {
  if (Result<FileBytes> readable = FileBytes::read(path); !readable) return readable.issue();
  try {
    const Package package(path, "a job file");
    return job_from_json(
        parse_json(package.read("job.json"), "job.json"),
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

namespace {

constexpr const char* no_meshes_left = "choose an older copy: the one before the last saving is named .backup.anvil";

/// Parts made of meshes that are left without the job that they belonged to.
Job job_of_meshes(const std::map<std::string, std::string>& entries, std::vector<std::string>& lost) {
  Job job;
  for (const auto& [name, contents] : entries) {
    if (!name.ends_with(".ply")) continue;
    try {
      Import import = read_ply(contents);
      check_range(import.mesh, import.notes);
      Part part;
      part.id = job.next_id++;
      part.name = fmt::format("Recovered {}", part.id);
      part.source = ImportedSource{std::make_shared<const Mesh>(std::move(import.mesh)), name};
      job.parts.push_back(std::make_shared<const Part>(std::move(part)));
    } catch (const BadFile& bad) {
      lost.push_back(fmt::format("{}: {}", name, bad.what));
    }
  }
  return job;
}

}  // namespace

Result<SalvagedJob> salvage_job(const std::filesystem::path& path, StepTable table) try {
  const Result<FileBytes> bytes = FileBytes::read(path);
  if (!bytes) return bytes.issue();
  SalvagedJob salvaged;
  std::vector<std::string> broken;
  std::map<std::string, std::string> entries;
  for (PackageEntry& entry : salvage_entries(bytes->view(), broken)) entries.emplace(std::move(entry.name), std::move(entry.contents));
  const auto fail = [&](std::string what) { return Issue{std::move(what), path.string(), {}, no_meshes_left}; };
  if (entries.empty()) return fail("nothing in it is whole");
  nlohmann::json document;
  try {
    document = parse_json(entries["job.json"], "job.json");
  } catch (const BadFile&) {
    document = nlohmann::json::value_t::discarded;
  }
  if (document.is_discarded()) {
    salvaged.lost.push_back("job.json: the names, places and recipes of all parts");
    salvaged.job = job_of_meshes(entries, salvaged.lost);
  } else {
    salvaged.version = version_of_json(document);
    salvaged.job = job_from_json(
        document,
        [&](const std::string& entry) {
          const auto it = entries.find(entry);
          if (it == entries.end()) throw BadFile{fmt::format("{} is missing or damaged", entry), ""};
          Import import = read_ply(it->second);
          check_range(import.mesh, import.notes);
          return std::move(import.mesh);
        },
        table, &salvaged.lost);
  }
  if (salvaged.job.parts.empty()) return fail("no part in it is whole");
  return salvaged;
} catch (const BadFile& bad) {
  return Issue{bad.what, path.string(), {}, no_meshes_left};
} catch (const std::bad_alloc&) {
  return Issue{"there is not enough memory to read it", path.string(), {}, "close other jobs"};
}

std::filesystem::path backup_of(const std::filesystem::path& path) {
  constexpr std::size_t longest_name = 255;  // bytes, on all file systems that matter
  const std::string ending = ".backup" + path.extension().string();
  std::string stem = path.stem().string();
  if (stem.size() + ending.size() > longest_name) {
    stem.resize(longest_name - std::min(longest_name, ending.size()));
    // Not in the middle of a character of UTF-8.
    while (!stem.empty() && (static_cast<unsigned char>(stem.back()) & 0xC0) == 0x80) stem.pop_back();
    if (!stem.empty() && (static_cast<unsigned char>(stem.back()) & 0x80) != 0) stem.pop_back();
  }
  return path.parent_path() / (stem + ending);
}

Result<std::uintmax_t> save_job(const Job& job, const std::filesystem::path& path, Backup backup) try {
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
  return write_package(path, entries, backup == Backup::keep ? backup_of(path) : std::filesystem::path());
} catch (const std::bad_alloc&) {
  return Issue{"there is not enough memory to write it", path.string(), {}, "close other jobs, and save again"};
}

bool needs_unit(const std::filesystem::path& path) {
  const auto format = format_of(path);
  return format && *format != MeshFormat::threemf;
}

Result<Part> import_part(const std::filesystem::path& path, Unit unit, std::vector<std::string>* notes) {
  Result<Import> import = read_mesh(path, true);
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
  all.cloud = !meshes.empty() && std::all_of(meshes.begin(), meshes.end(), [](const PlacedMesh& placed) { return placed.mesh->cloud; });
  bool normals_known = all.cloud;
  for (const PlacedMesh& placed : meshes) {
    if (placed.mesh->cloud && !all.cloud) continue;
    Mesh copy = *placed.mesh;
    copy.origins.clear();  // each counts from its own part
    place(copy, placed.placement);
    append(all, copy);
    all.normals.insert(all.normals.end(), copy.normals.begin(), copy.normals.end());
    normals_known = normals_known && !copy.normals.empty();
  }
  if (!normals_known) all.normals.clear();
  return all;
}

}  // namespace anvil
