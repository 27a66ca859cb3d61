// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/output.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "cli/commands.h"
#include "core/io/bytes.h"
#include "core/io/replacement.h"
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

namespace {

/// May a name be one of those that an output with {} stands for?
bool is_piece_of(const std::filesystem::path& path, const std::filesystem::path& output) {
  const std::string name = path.filename().string(), pattern = output.filename().string();
  const auto mark = pattern.find("{}");
  if (mark == std::string::npos) return false;
  const std::string before = pattern.substr(0, mark), after = pattern.substr(mark + 2);
  if (name.size() <= before.size() + after.size() || !name.starts_with(before) || !name.ends_with(after)) return false;
  const std::string number = name.substr(before.size(), name.size() - before.size() - after.size());
  const auto folder_of = [](const std::filesystem::path& file) { return file.has_parent_path() ? file.parent_path() : std::filesystem::path("."); };
  std::error_code error;
  return number.find_first_not_of("0123456789") == std::string::npos && std::filesystem::equivalent(folder_of(path), folder_of(output), error);
}
bool would_replace(const std::string& output, const std::string& file) { return is_same_file(output, file) || is_piece_of(file, output); }

std::optional<Issue> report_refused(const std::string& where) {
  if (where.empty() || where == "-") return std::nullopt;
  std::error_code error;
  const std::filesystem::path path(where);
  if (std::filesystem::is_directory(path, error)) return Issue{"is a folder", where, {}, "name a file for the report"};
  const std::filesystem::path folder = path.has_parent_path() ? path.parent_path() : std::filesystem::path(".");
  if (!std::filesystem::is_directory(folder, error)) return Issue{"its folder is not there", where, {}, "make the folder first"};
  if (::access(folder.c_str(), W_OK) != 0) return Issue{"its folder cannot be written to", where, {}, "check its permissions"};
  return std::nullopt;
}

}  // namespace

std::optional<Issue> files_refused(const CallFiles& files) {
  if (auto issue = report_refused(files.json)) return issue;
  const bool has_report = !files.json.empty() && files.json != "-";
  for (const std::string& input : files.inputs) {
    if (has_report && is_same_file(files.json, input)) return Issue{"the report would replace a file that is read", files.json, {}, "name another file for it"};
    if (!files.output.empty() && would_replace(files.output, input))
      return Issue{"the result would replace a file that is read", input, {}, "name another output file"};
  }
  if (has_report && !files.output.empty() && (would_replace(files.output, files.json) || would_replace(fresh_edges_file(files.output), files.json)))
    return Issue{"the report and the result, or its fresh edges, would be one file", files.json, {}, "name another file for the report"};
  return std::nullopt;
}

Result<bool> write_json(const Json& json, const std::string& where) {
  const std::string text = json.dump() + "\n";
  if (where == "-") return print(text);
  if (auto written = write_bytes(where, text); !written) return written.issue();
  return true;
}

Result<StagedMesh> StagedMesh::write(const Mesh& mesh, const std::string& output, const WriteSettings& how, const std::stop_token& stop) {
  const Result<MeshFormat> format = format_of(output);
  if (!format) return format.issue();
  const auto named = [&](Issue issue) {
    issue.subject = output;
    return issue;
  };
  std::vector<std::string> notes;
  const Result<std::string> bytes = mesh_bytes(mesh, *format, &notes, how, {stop});
  if (!bytes) return named(bytes.issue());
  Result<Replacement> replacement = Replacement::of(output);
  if (!replacement) return named(replacement.issue());
  if (auto written = replacement->write(*bytes); !written) return named(written.issue());
  StagedMesh staged(std::move(*replacement));
  const Result<Import> back = read_mesh_as(*format, staged.replacement_.temporary(), true);
  if (!back) return named(back.issue());
  staged.report_ = check_soundness(back->mesh, stop);
  say_notes(output, notes);
  return staged;
}

Result<bool> StagedMesh::move_into_place() {
  if (auto placed = replacement_.take_place(); !placed) return placed.issue();
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
           const std::vector<std::string>& outputs, const WriteRequest& request, Seconds seconds, const std::stop_token& stop, const Json& more, std::optional<WriteSettings> how, const PlacedEdges& fresh) {
  const std::string& json = request.json;
  const auto is_empty = [](const Mesh& mesh) { return mesh.empty() && !mesh.cloud; };
  if (meshes.empty() || std::any_of(meshes.begin(), meshes.end(), is_empty))
    return fail({"the result is empty: " + (report.empty_reason.empty() ? std::string("there are no faces") : report.empty_reason),
                 inputs.empty() ? outputs.front() : inputs.front(), {}, "move the parts, or choose other values or another operation"},
                empty_result);
  for (const std::string& output : outputs)  // of several pieces the names are known only now
    if (auto issue = files_refused({inputs, output, request.json})) return fail(*issue);
  if (!how) how = WriteSettings{*faces_named(request.faces)};
  Clock clock;
  Json results = Json::array();
  bool sound = true;
  std::string lines;
  std::vector<StagedMesh> staged;
  for (std::size_t k = 0; k < meshes.size(); ++k) {
    progress("Writing " + outputs[k]);
    Result<StagedMesh> written = StagedMesh::write(meshes[k], outputs[k], *how, stop);
    if (!written) return fail(written.issue());
    staged.push_back(std::move(*written));
    const SoundnessReport& judged = staged.back().report();
    sound = sound && (judged.sound || meshes[k].cloud);
    results.push_back(check_json(outputs[k], judged));
    lines += fmt::format("{}: {}, {} triangles\n", outputs[k], verdict(judged), judged.triangles);
  }
  for (StagedMesh& mesh : staged)
    if (auto moved = mesh.move_into_place(); !moved) return fail(moved.issue());
  for (std::size_t k = 0; k < meshes.size(); ++k)
    if (auto handed_on = write_fresh_edges(outputs[k], meshes[k], fresh); !handed_on) return fail(handed_on.issue());
  seconds.write = clock.lap();
  if (!json.empty()) {
    Json whole = operation_json(inputs, asks_for_pieces(request.output) ? results : results[0], report, seconds);
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
