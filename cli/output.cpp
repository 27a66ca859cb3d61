// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/output.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "cli/commands.h"
#include "core/io/bytes.h"
#include "core/io/mesh_file.h"

namespace anvil::cli {

int fail(const Issue& issue, int code) {
  std::string line = issue.message();
  for (char& c : line)
    if (c == '\n' || c == '\r') c = ' ';
  fmt::print(stderr, "clean-anvil-cli: {}\n", line);
  return code;
}
int fail(const Issue& issue) { return fail(issue, bad_input); }

void progress(const std::string& what) {
  if (isatty(STDERR_FILENO)) fmt::print(stderr, "{} ...\n", what);
}

void say_notes(const std::string& file, const std::vector<std::string>& notes) {
  for (const std::string& note : notes) fmt::print(stderr, "note: {}: {}\n", file, note);
}

Result<bool> print(const std::string& text) {
  const bool whole = std::fwrite(text.data(), 1, text.size(), stdout) == text.size() && std::fflush(stdout) == 0;
  if (!whole) return Issue{fmt::format("cannot write: {}", std::strerror(errno)), "standard output", {}, "free some space or write elsewhere"};
  return true;
}

std::optional<Issue> json_refused(const std::string& where) {
  if (where.empty() || where == "-") return std::nullopt;
  std::error_code error;
  const std::filesystem::path path(where);
  if (std::filesystem::is_directory(path, error)) return Issue{"is a folder", where, {}, "name a file for the report"};
  const std::filesystem::path folder = path.has_parent_path() ? path.parent_path() : std::filesystem::path(".");
  if (!std::filesystem::is_directory(folder, error)) return Issue{"its folder is not there", where, {}, "make the folder first"};
  if (::access(folder.c_str(), W_OK) != 0) return Issue{"its folder cannot be written to", where, {}, "check its permissions"};
  return std::nullopt;
}

Result<bool> write_json(const Json& json, const std::string& where) {
  const std::string text = json.dump() + "\n";
  if (where == "-") return print(text);
  if (auto written = write_bytes(where, text); !written) return written.issue();
  return true;
}

StagedMesh::StagedMesh(StagedMesh&& other) noexcept
    : temporary_(std::exchange(other.temporary_, {})), output_(std::move(other.output_)), report_(std::move(other.report_)) {}

StagedMesh::~StagedMesh() {
  std::error_code ignored;
  if (!temporary_.empty()) std::filesystem::remove(temporary_, ignored);
}

Result<StagedMesh> StagedMesh::write(const Mesh& mesh, const std::string& output, FacesWritten faces) {
  const std::filesystem::path path(output);
  std::error_code error;
  if (std::filesystem::is_directory(path, error)) return Issue{"is a folder", output, {}, "choose a file name inside it"};
  // The ending tells the format, so the temporary name has the same.
  StagedMesh staged(path.parent_path() / fmt::format(".{}.{}{}", path.stem().string(), ::getpid(), path.extension().string()), output);
  auto named = [&](Issue issue) {
    issue.subject = output;
    return issue;
  };
  std::vector<std::string> notes;
  if (auto written = write_mesh(mesh, staged.temporary_, &notes, {faces}); !written) return named(written.issue());
  const Result<Import> back = read_mesh(staged.temporary_);
  if (!back) return named(back.issue());
  staged.report_ = check_soundness(back->mesh);
  say_notes(output, notes);
  return staged;
}

Result<bool> StagedMesh::move_into_place() {
  std::error_code error;
  std::filesystem::rename(temporary_, output_, error);
  if (error) return Issue{fmt::format("cannot write: {}", error.message()), output_, {}, "check the folder and its permissions"};
  temporary_.clear();
  return true;
}

bool asks_for_pieces(const std::string& output) { return output.find("{}") != std::string::npos; }

std::vector<std::string> piece_names(const std::string& output, std::size_t pieces) {
  const auto mark = output.find("{}");
  std::vector<std::string> names;
  for (std::size_t k = 1; k <= pieces; ++k) names.push_back(output.substr(0, mark) + std::to_string(k) + output.substr(mark + 2));
  return names;
}

int finish(const std::vector<std::string>& inputs, const std::vector<Mesh>& meshes, const OperationReport& report,
           const std::vector<std::string>& outputs, const WriteRequest& request, Seconds seconds, const Json& more) {
  const std::string& json = request.json;
  const auto is_empty = [](const Mesh& mesh) { return mesh.empty(); };
  if (meshes.empty() || std::any_of(meshes.begin(), meshes.end(), is_empty))
    return fail({"the result is empty: " + (report.empty_reason.empty() ? std::string("there are no faces") : report.empty_reason),
                 inputs.empty() ? outputs.front() : inputs.front(), {}, "move the parts, or choose other values or another operation"},
                empty_result);
  Clock clock;
  Json results = Json::array();
  bool sound = true;
  std::string lines;
  std::vector<StagedMesh> staged;
  for (std::size_t k = 0; k < meshes.size(); ++k) {
    progress("Writing " + outputs[k]);
    Result<StagedMesh> written = StagedMesh::write(meshes[k], outputs[k], *faces_named(request.faces));
    if (!written) return fail(written.issue());
    staged.push_back(std::move(*written));
    const SoundnessReport& judged = staged.back().report();
    sound = sound && judged.sound;
    results.push_back(check_json(outputs[k], judged));
    lines += fmt::format("{}: {}, {} triangles\n", outputs[k], verdict(judged), judged.triangles);
  }
  for (StagedMesh& mesh : staged)
    if (auto moved = mesh.move_into_place(); !moved) return fail(moved.issue());
  seconds.write = clock.lap();
  if (!json.empty()) {
    Json whole = operation_json(inputs, results.size() == 1 ? results[0] : results, report, seconds);
    whole.update(more);
    if (auto written = write_json(whole, json); !written) return fail(written.issue());
  }
  if (json != "-")
    if (auto printed = print(lines); !printed) return fail(printed.issue());
  if (json.empty())
    for (const OperationReport::Done& told : report.done)
      if (told.note->place == Note::Place::rail) say_notes(outputs.front(), {in_words(told)});
  return sound ? done : not_sound;
}

}  // namespace anvil::cli
