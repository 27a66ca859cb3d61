// SPDX-License-Identifier: GPL-3.0-or-later
// The .anvil file: a ZIP of job.json and one PLY per imported mesh. docs/file-format.md describes it.
#pragma once

#include <filesystem>

#include "job/job.h"

namespace anvil {

/// Reads a job. Fails with the file, the place in it (entry, JSON path) and a remedy; never half.
Result<Job> load_job(const std::filesystem::path& path, StepTable table = step_table());

/// A job as far as it could be read.
struct SalvagedJob {
  Job job;
  std::vector<std::string> lost;  ///< what is not in it, in words; empty where all is there
  int version = 0;                ///< of the file's format; 0 where it does not say
};
/// Reads what is whole of a job file that is damaged, cut off, or of a newer version. Fails when nothing of it can be used.
/// Where job.json itself is lost, each whole mesh becomes a part.
Result<SalvagedJob> salvage_job(const std::filesystem::path& path, StepTable table = step_table());

/// Where save_job() keeps the version before: "clamp.anvil" -> "clamp.backup.anvil".
std::filesystem::path backup_of(const std::filesystem::path& path);

/// Writes a job through a temporary name; meshes bit for bit. What was there before is kept as its backup where asked, once
/// the new file is whole. @return bytes written
enum class Backup { none, keep };
Result<std::uintmax_t> save_job(const Job& job, const std::filesystem::path& path, Backup backup = Backup::none);

/// Reads a mesh file into a new part named after the file, converted to millimetres.
/// @param unit  unit of files that do not say; ignored for those that do (3MF)
/// @param notes  receives what the reader had to leave out or assume
Result<Part> import_part(const std::filesystem::path& path, Unit unit,
                         std::vector<std::string>* notes = nullptr);

/// True when files of this ending carry no unit of their own.
bool needs_unit(const std::filesystem::path& path);

/// Puts meshes into the job's space and together, as an export does.
struct PlacedMesh {
  std::shared_ptr<const Mesh> mesh;
  Affine placement = Affine::Identity();
};
Mesh placed_together(const std::vector<PlacedMesh>& meshes);

}  // namespace anvil
