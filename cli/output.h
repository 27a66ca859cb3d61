// SPDX-License-Identifier: GPL-3.0-or-later
// How the command line speaks and writes: one line for what went wrong, files that are whole or not touched at all.
#pragma once

#include <chrono>
#include <filesystem>

#include "cli/commands.h"
#include "cli/report_json.h"
#include "core/io/faces.h"
#include "core/result.h"
#include "core/soundness/check.h"

namespace anvil::cli {

class Clock {
 public:
  double lap() {
    const auto now = std::chrono::steady_clock::now();
    const double seconds = std::chrono::duration<double>(now - last_).count();
    last_ = now;
    return seconds;
  }

 private:
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

/// One line on standard error; a message never breaks into several. @return `code`
int fail(const Issue& issue, int code);
int fail(const Issue& issue);
/// On standard error, on a terminal only.
void progress(const std::string& what);
void say_notes(const std::string& file, const std::vector<std::string>& notes);

/// Text for standard output; an Issue when it could not be written, as on a full disk.
Result<bool> print(const std::string& text);

/// Why JSON cannot be written where it is asked for; to be asked before anything else is done. "-" and "" always can.
std::optional<Issue> json_refused(const std::string& where);
/// Writes JSON where the request says; standard output holds nothing else then.
Result<bool> write_json(const Json& json, const std::string& where);

/// A mesh written beside the place where it is to stand, judged as it is read back, and moved there only when all is
/// well. Until then what stood there stays as it was.
class StagedMesh {
 public:
  static Result<StagedMesh> write(const Mesh& mesh, const std::string& output, FacesWritten faces);
  StagedMesh(StagedMesh&& other) noexcept;
  StagedMesh& operator=(StagedMesh&&) = delete;
  ~StagedMesh();

  const SoundnessReport& report() const { return report_; }
  const std::string& output() const { return output_; }
  Result<bool> move_into_place();

 private:
  StagedMesh(std::filesystem::path temporary, std::string output) : temporary_(std::move(temporary)), output_(std::move(output)) {}

  std::filesystem::path temporary_;
  std::string output_;
  SoundnessReport report_;
};

/// The names of the files of so many pieces: OUT with {} replaced by 1, 2, 3, …
std::vector<std::string> piece_names(const std::string& output, std::size_t pieces);
bool asks_for_pieces(const std::string& output);

/// Writes all meshes or none, and reports as combine, apply, make and run do.
/// @param outputs  as many as meshes
/// @param more  put into the JSON beside the rest; an object
int finish(const std::vector<std::string>& inputs, const std::vector<Mesh>& meshes, const OperationReport& report,
           const std::vector<std::string>& outputs, const WriteRequest& request, Seconds seconds, const Json& more = Json::object());

}  // namespace anvil::cli
