// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>

#include "cli/report_json.h"
#include "core/io/bytes.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/evaluator.h"
#include "job/job_file.h"

namespace anvil::cli {
namespace {

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

/// One line on standard error; a message never breaks into several.
int fail(const Issue& issue) {
  std::string line = issue.message();
  std::replace(line.begin(), line.end(), '\n', ' ');
  fmt::print(stderr, "clean-anvil-cli: {}\n", line);
  return bad_input;
}

void progress(const std::string& what) {
  if (isatty(STDERR_FILENO)) fmt::print(stderr, "{} ...\n", what);
}

void say_notes(const std::string& file, const std::vector<std::string>& notes) {
  for (const std::string& note : notes) fmt::print(stderr, "note: {}: {}\n", file, note);
}

bool is_job(const std::string& path) {
  return std::filesystem::path(path).extension() == ".anvil";
}

/// Writes JSON where the request says; standard output holds nothing else then.
Result<bool> write_json(const Json& json, const std::string& where) {
  const std::string text = json.dump() + "\n";
  if (where == "-") {
    fmt::print("{}", text);
    return true;
  }
  if (auto written = write_bytes(where, text); !written) return written.issue();
  return true;
}

struct Loaded {
  Mesh mesh;
  BooleanReport report;  // of the recipes, for jobs
};

/// The visible parts of a job, or the one named, evaluated and put together in the job's space.
Result<Loaded> load_job_mesh(const std::string& path, const std::string& part_name) {
  Result<Job> job = load_job(path);
  if (!job) return job.issue();
  RecipeCache cache;
  Loaded loaded;
  std::vector<PlacedMesh> meshes;
  for (const PartPtr& part : job->parts) {
    const bool chosen = part_name.empty() ? part->visible && !job->use_of(part->id) : part->name == part_name;
    if (!chosen) continue;
    progress("Combining " + part->name);
    const EvaluatedPtr evaluated = cache.evaluate(*job, part->id, {}, false);
    if (evaluated->error) {
      Issue issue = *evaluated->error;
      issue.subject = path + ": " + issue.subject;
      return issue;
    }
    meshes.push_back({evaluated->mesh, job->world_of(part->id)});
    loaded.report.seconds += evaluated->boolean.seconds;
    for (const auto& done_item : evaluated->boolean.done) loaded.report.done.push_back(done_item);
    for (const auto& stage : evaluated->boolean.stages) loaded.report.stages.push_back(stage);
  }
  if (meshes.empty())
    return Issue{part_name.empty() ? std::string("no part is visible")
                                   : fmt::format("there is no part \"{}\"", part_name),
                 path,
                 {},
                 part_name.empty() ? "show one in the application" : "check the name"};
  loaded.mesh = placed_together(meshes);
  return loaded;
}

Result<Loaded> load(const std::string& path) {
  progress("Reading " + path);
  if (is_job(path)) return load_job_mesh(path, "");
  Result<Import> import = read_mesh(path);
  if (!import) return import.issue();
  say_notes(path, import->notes);
  return Loaded{std::move(import->mesh), {}};
}

struct Written {
  SoundnessReport report;
  Json json;
};

/// Writes one mesh and checks what stands in the file: some formats round to 32 bits.
Result<Written> write_and_check(const Mesh& mesh, const std::string& output) {
  if (auto written = write_mesh(mesh, output); !written) return written.issue();
  const Result<Import> back = read_mesh(output);
  if (!back) return back.issue();
  Written written{check_soundness(back->mesh), {}};
  written.json = check_json(output, written.report);
  return written;
}

Issue empty_result(const BooleanReport& report, const std::string& input) {
  const std::string why = report.empty_reason.empty() ? "there are no faces" : report.empty_reason;
  return {"the result is empty: " + why, input, {}, "move the tool or choose another operation"};
}

/// Writes all meshes or none, checks what was written, and reports as combine and run do.
/// @param outputs  as many as meshes
int finish(const std::vector<std::string>& inputs, const std::vector<Mesh>& meshes, const BooleanReport& report,
           const std::vector<std::string>& outputs, const std::string& json, Seconds seconds) {
  for (const Mesh& mesh : meshes)
    if (mesh.empty()) return fail(empty_result(report, inputs.front()));
  Clock clock;
  Json results = Json::array();
  bool sound = true;
  std::string lines;
  for (std::size_t k = 0; k < meshes.size(); ++k) {
    const Result<Written> written = write_and_check(meshes[k], outputs[k]);
    if (!written) {
      for (std::size_t earlier = 0; earlier < k; ++earlier) std::filesystem::remove(outputs[earlier]);
      return fail(written.issue());
    }
    sound = sound && written->report.sound;
    results.push_back(written->json);
    lines += fmt::format("{}: {}, {} triangles\n", outputs[k], verdict(written->report), written->report.triangles);
  }
  seconds.write = clock.lap();
  if (!json.empty()) {
    const Json object = combine_json(inputs, results.size() == 1 ? results[0] : results, report, seconds);
    if (auto written = write_json(object, json); !written) return fail(written.issue());
  }
  if (json != "-") fmt::print("{}", lines);
  return sound ? done : not_sound;
}

}  // namespace

int run_check(const CheckRequest& request) {
  Json all = Json::array();
  bool sound = true;
  std::string lines;
  for (const std::string& path : request.inputs) {
    Result<Loaded> loaded = load(path);
    if (!loaded) return fail(loaded.issue());
    progress("Checking " + path);
    const SoundnessReport report = check_soundness(loaded->mesh);
    sound = sound && report.sound;
    lines += fmt::format("{}: {}\n", path, verdict(report));
    for (std::size_t f = 0; f < family_count; ++f)
      if (report.families[f].count > 0)
        lines += fmt::format("  {:<24}{}\n", label_of(static_cast<Family>(f)), report.families[f].count);
    all.push_back(check_json(path, report));
  }
  if (!request.json.empty())
    if (auto written = write_json(request.inputs.size() == 1 ? all[0] : all, request.json); !written)
      return fail(written.issue());
  if (request.json != "-") fmt::print("{}", lines);
  return sound ? done : not_sound;
}

int run_combine(const CombineRequest& request) {
  const Result<Operation> operation = operation_named(request.operation);
  if (!operation) return fail(operation.issue());
  if (request.inputs.size() < 2)
    return fail({"combine needs at least two parts",
                 request.inputs.front(),
                 {},
                 "name the part first, then its tools"});
  if (const auto format = format_of(request.output); !format) return fail(format.issue());
  const auto mark = request.output.find("{}");
  if (mark != std::string::npos && !makes_pieces(*operation))
    return fail({fmt::format("{} gives no pieces", request.operation), request.output, {},
                 "name one output file; {} is for split, partition and inlay"});
  Clock clock;
  Seconds seconds;
  std::vector<Operand> operands;
  for (const std::string& path : request.inputs) {
    Result<Loaded> loaded = load(path);
    if (!loaded) return fail(loaded.issue());
    operands.push_back(
        {std::make_shared<const Mesh>(std::move(loaded->mesh)), path, *operation, Affine::Identity()});
  }
  seconds.read = clock.lap();
  progress("Combining");
  CombineSettings settings;
  settings.contact = request.contact;
  Result<BooleanResult> combined = combine(operands, {}, settings);
  if (!combined) return fail(combined.issue());
  seconds.compute = combined->report.seconds;
  if (combined->mesh.empty()) return fail(empty_result(combined->report, request.inputs.front()));
  std::vector<Mesh> meshes;
  std::vector<std::string> outputs;
  if (mark == std::string::npos) {
    meshes.push_back(std::move(combined->mesh));
    outputs.push_back(request.output);
  } else {
    for (Index k = 0; k < combined->pieces; ++k) {
      meshes.push_back(combined->piece_mesh(k));
      outputs.push_back(request.output.substr(0, mark) + std::to_string(k + 1) + request.output.substr(mark + 2));
    }
  }
  if (makes_pieces(*operation))
    combined->report.done.push_back({"pieces", combined->pieces, request.inputs.front(), {}});
  return finish(request.inputs, meshes, combined->report, outputs, request.json, seconds);
}

int run_recipe(const RunRequest& request) {
  if (const auto format = format_of(request.output); !format) return fail(format.issue());
  Clock clock;
  Result<Loaded> loaded = load_job_mesh(request.job, request.part);
  if (!loaded) return fail(loaded.issue());
  Seconds seconds;
  seconds.compute = loaded->report.seconds;
  seconds.read = clock.lap() - seconds.compute;
  return finish({request.job}, {loaded->mesh}, loaded->report, {request.output}, request.json, seconds);
}

int run_convert(const ConvertRequest& request) {
  if (is_job(request.output)) {
    std::vector<std::string> notes;
    Result<Part> part = import_part(request.input, Unit::millimetre, &notes);
    if (!part) return fail(part.issue());
    say_notes(request.input, notes);
    Part added = *part;
    added.id = 1;
    Job job;
    job.title = added.name;
    job.unit = Unit::millimetre;
    job.next_id = 2;
    job.parts.push_back(std::make_shared<const Part>(std::move(added)));
    if (auto written = save_job(job, request.output); !written) return fail(written.issue());
    return done;
  }
  if (const auto format = format_of(request.output); !format) return fail(format.issue());
  Result<Loaded> loaded = load(request.input);
  if (!loaded) return fail(loaded.issue());
  std::vector<std::string> notes;
  if (auto written = write_mesh(loaded->mesh, request.output, &notes); !written) return fail(written.issue());
  say_notes(request.output, notes);
  return done;
}

}  // namespace anvil::cli
