// SPDX-License-Identifier: GPL-3.0-or-later
// How the command line speaks and writes: one line for what went wrong, files that are whole or not touched at all.
#pragma once

#include <chrono>
#include <stop_token>

#include "cli/commands.h"
#include "cli/fresh_edges.h"
#include "cli/report_json.h"
#include "core/io/mesh_file.h"
#include "core/io/replacement.h"
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

/// The files that a call reads and writes.
struct CallFiles {
  std::vector<std::string> inputs;
  std::string output;  ///< may hold {}; "": none
  std::string json;    ///< "-" and "": none
};
/// Why the report cannot be written where it is asked for, and why files would replace each other, by whatever names or links; to
/// be asked before anything else is done.
std::optional<Issue> files_refused(const CallFiles& files);
/// Writes JSON where the request says; standard output holds nothing else then.
Result<bool> write_json(const Json& json, const std::string& where);

/// A mesh written beside the place where it is to stand, judged as it is read back, and moved there only when all is
/// well. Until then what stood there stays as it was. A cloud is not judged.
class StagedMesh {
 public:
  static Result<StagedMesh> write(const Mesh& mesh, const std::string& output, const WriteSettings& how, const std::stop_token& stop);

  const SoundnessReport& report() const { return report_; }
  Result<bool> move_into_place();

 private:
  StagedMesh(Replacement replacement) : replacement_(std::move(replacement)) {}
  Replacement replacement_;
  SoundnessReport report_;
};

/// The names of the files of so many pieces: OUT with {} replaced by 1, 2, 3, …
std::vector<std::string> piece_names(const std::string& output, std::size_t pieces);
bool asks_for_pieces(const std::string& output);

/// Writes all meshes or none, and reports as combine, apply, make and run do.
/// @param outputs  as many as meshes
/// @param more  put into the JSON beside the rest; an object
/// @param how   a single mesh is written; else as the request has it
/// @param fresh  edges that are handed on with the files
int finish(const std::vector<std::string>& inputs, const std::vector<Mesh>& meshes, const OperationReport& report,
           const std::vector<std::string>& outputs, const WriteRequest& request, Seconds seconds, const std::stop_token& stop,
           const Json& more = Json::object(), std::optional<WriteSettings> how = {}, const PlacedEdges& fresh = {});

}  // namespace anvil::cli
