// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "cli/output.h"
#include "core/io/mesh_file.h"
#include "core/mend/mend.h"
#include "core/mesh/sub_mesh.h"
#include "core/soundness/readings.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "job/recipe_runner.h"

namespace anvil::cli {
namespace {

constexpr Note pieces_made{"pieces", "1 piece", "{0} pieces", Note::Place::program};

bool is_job(const std::string& path) {
  std::string ending = std::filesystem::path(path).extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return ending == ".anvil";
}

struct Loaded {
  Mesh mesh;
  std::vector<Mesh> pieces;  // piece by piece, for jobs
  std::vector<PartInFile> parts;  // part by part, for jobs
  OperationReport report;    // of the recipes, for jobs
};

void gather_report(OperationReport& all, const Job& job, const Cast& cast, const Evaluated& evaluated) {
  for (const StepReport& step : evaluated.steps) {
    OperationReport report = step.report;
    for (auto& done_item : report.done) done_item.part = with_names(job, cast, done_item.part);
    report.empty_reason = with_names(job, cast, report.empty_reason);
    all.add(std::move(report));
  }
}

/// The visible parts of a job, or the one named, evaluated and put together in the job's space.
Result<Loaded> evaluate_job(const Job& job, const std::string& path, const std::string& part_name, const std::stop_token& stop) {
  RecipeRunner runner;
  Loaded loaded;
  std::vector<PlacedMesh> meshes;
  for (const PartPtr& part : job.parts) {
    const bool chosen = part_name.empty() ? part->visible && !job.is_tool(part->id) : part->name == part_name;
    if (!chosen) continue;
    progress("Combining " + part->name);
    const EvaluatedPtr evaluated = runner.evaluate(job, part->id, {stop}, false);
    const Cast cast = cast_of(job, part->id);
    if (evaluated->error) {
      Issue issue = with_names(job, cast, *evaluated->error);
      issue.subject = path + ": " + issue.subject;
      return issue;
    }
    if (evaluated->mesh->cloud) return Issue{"is a cloud of points", path + ": " + part->name, {}, "recast it, or hide it"};
    const Affine world = job.world_of(part->id);
    meshes.push_back({evaluated->mesh, world});
    loaded.parts.push_back({part->name, part->tint.value_or(PartInFile().colour), placed_together({meshes.back()})});
    if (evaluated->pieces > 1)
      for (SubMesh& piece : take_apart(*evaluated->mesh, evaluated->piece, evaluated->pieces))
        loaded.pieces.push_back(placed_together({{std::make_shared<const Mesh>(std::move(piece.mesh)), world}}));
    else
      loaded.pieces.push_back(placed_together({meshes.back()}));
    gather_report(loaded.report, job, cast, *evaluated);
  }
  if (meshes.empty())
    return Issue{part_name.empty() ? std::string("no part is visible") : fmt::format("there is no part \"{}\"", part_name), path, {},
                 part_name.empty() ? "show one in the application" : "check the name"};
  loaded.mesh = placed_together(meshes);
  return loaded;
}

/// @param points  a file with points and no faces will do
Result<Loaded> load(const std::string& path, const std::stop_token& stop, bool points = false) {
  progress("Reading " + path);
  if (is_job(path)) {
    Result<Job> job = load_job(path);
    if (!job) return job.issue();
    return evaluate_job(*job, path, "", stop);
  }
  Result<Import> import = read_mesh(path, points);
  if (!import) return import.issue();
  say_notes(path, import->notes);
  return Loaded{std::move(import->mesh), {}, {}, {}};
}

/// What has to be right before anything is read: the formats of the outputs, and that no file replaces another of the call.
std::optional<Issue> refused(const std::vector<std::string>& inputs, const WriteRequest& request) {
  const auto format = format_of(request.output);
  if (!format) return format.issue();
  if (*format == MeshFormat::xyz) return points_only(request.output);
  return files_refused({inputs, request.output, request.json});
}

/// Sets fields from FIELD=VALUE.
std::optional<Issue> set_fields(std::span<const Field> fields, const std::vector<std::string>& set, const std::string& subject,
                                FieldValues& values) {
  for (const std::string& assignment : set) {
    const auto equals = assignment.find('=');
    const std::string key = assignment.substr(0, equals);
    std::string known;
    for (const Field& field : fields) known += (known.empty() ? "" : ", ") + field.key;
    const auto place = field_place(fields, key);
    if (equals == std::string::npos && place) return Issue{fmt::format("--set {}: there is no value", assignment), subject, {}, fmt::format("use {}=VALUE", key)};
    if (equals == std::string::npos || !place)
      return Issue{fmt::format("--set {}: there is no field \"{}\"", assignment, key), subject, {},
                   "use FIELD=VALUE with one of " + (known.empty() ? "none: it has no fields" : known)};
    Result<FieldValue> value = parse_value(fields[*place], assignment.substr(equals + 1));
    if (!value) {
      Issue issue = value.issue();
      issue.subject = fmt::format("{}, --set {}", subject, assignment);
      return issue;
    }
    values[*place] = std::move(*value);
  }
  return std::nullopt;
}

/// The meshes to write and their names: all in one, or one for each piece.
std::pair<std::vector<Mesh>, std::vector<std::string>> by_pieces(Mesh mesh, std::span<const Index> piece, Index pieces, const std::string& output) {
  if (!asks_for_pieces(output)) return {{std::move(mesh)}, {output}};
  std::vector<Mesh> meshes;
  for (SubMesh& one : take_apart(mesh, piece, pieces))
    if (!one.mesh.empty()) meshes.push_back(std::move(one.mesh));
  auto names = piece_names(output, meshes.size());
  return {std::move(meshes), std::move(names)};
}

/// Initial values, with lengths as they suit the size of a part.
FieldValues suited_values(const StepKind& kind, const Mesh& part) {
  Step step = new_step(kind);
  if (kind.suit == nullptr) return step.fields;
  const FieldValues initial = step.fields;
  kind.suit(step, part);
  for (std::size_t k = 0; k < initial.size(); ++k)
    if (const FieldKind what = kind.fields[k].kind; what != FieldKind::length && what != FieldKind::offset) step.fields[k] = initial[k];
  return step.fields;
}

/// The name of the one file that is written.
std::vector<std::string> names_of_one(const std::string& output) { return asks_for_pieces(output) ? piece_names(output, 1) : std::vector<std::string>{output}; }

/// PART/STEP.FIELD=VALUE on a job; STEP is its name, its kind or its number, or "source".
Result<Job> set_in_job(const Job& job, const std::string& assignment, const std::string& path) {
  const auto equals = assignment.find('='), slash = assignment.rfind('/', equals), dot = assignment.rfind('.', equals);
  auto no = [&](const std::string& what, const std::string& remedy) {
    return Issue{fmt::format("--set {}: {}", assignment, what), path, {}, remedy};
  };
  if (equals == std::string::npos || slash == std::string::npos || dot == std::string::npos || dot < slash)
    return no("it is not understood", "use PART/STEP.FIELD=VALUE");
  const std::string part_name = assignment.substr(0, slash), step_name = assignment.substr(slash + 1, dot - slash - 1);
  const auto part = std::find_if(job.parts.begin(), job.parts.end(), [&](const PartPtr& p) { return p->name == part_name; });
  if (part == job.parts.end()) return no(fmt::format("there is no part \"{}\"", part_name), "check the name");
  const std::vector<std::string> set{assignment.substr(dot + 1)};
  if (step_name == "source") {
    const auto* primitive = std::get_if<Primitive>(&(*part)->source);
    if (primitive == nullptr) return no("the part was brought in and has no dimensions", "name a step of its recipe");
    Primitive changed = *primitive;
    if (auto issue = set_fields(changed.kind->fields, set, path, changed.values)) return *issue;
    if (auto issue = check_dimensions(changed)) return *issue;
    return edit::change_part(job, (*part)->id, [&](Part& p) { p.source = changed; });
  }
  for (std::size_t k = 0; k < (*part)->recipe.size(); ++k) {
    const Step& step = (*part)->recipe[k];
    if (step.name != step_name && step.kind->key != step_name && std::to_string(k + 1) != step_name) continue;
    FieldValues values = step.fields;
    if (auto issue = set_fields(step.kind->fields, set, path, values)) return *issue;
    return edit::change_part(job, (*part)->id, [&](Part& p) { p.recipe[k].fields = values; });
  }
  return no(fmt::format("\"{}\" has no step \"{}\"", part_name, step_name), "name it by its kind, its name or its number, or use source");
}

}  // namespace

int run_check(const CheckRequest& request, const std::stop_token& stop) {
  if (auto issue = files_refused({request.inputs, "", request.json})) return fail(*issue);
  Json all = Json::array();
  int code = done;
  std::string lines;
  for (const std::string& path : request.inputs) {
    Result<Loaded> loaded = load(path, stop);
    if (!loaded) {  // the others are judged all the same
      code = fail(loaded.issue());
      all.push_back({{"file", as_utf8(path)}, {"error", as_utf8(loaded.issue().message())}});
      continue;
    }
    progress("Checking " + path);
    std::size_t left_out = 0;
    const SoundnessReport report = request.any_reader ? check_any_reader(loaded->mesh, stop, &left_out) : check_soundness(loaded->mesh, stop);
    if (left_out > 0) say_notes(path, {fmt::format("{} more ways to read its largest polygons were not looked at, as that would take too long", left_out)});
    if (!report.sound) code = std::max(code, not_sound);
    lines += fmt::format("{}: {}\n", path, verdict(report));
    for (const FamilyReport& found : report.families)
      if (found.count > 0 && found.family->role != FamilyRole::note) lines += fmt::format("  {:<24}{}\n", found.family->label, found.count);
    all.push_back(check_json(path, report));
  }
  if (!request.json.empty())
    if (auto written = write_json(request.inputs.size() == 1 ? all[0] : all, request.json); !written) return fail(written.issue());
  if (request.json != "-")
    if (auto printed = print(lines); !printed) return fail(printed.issue());
  return code;
}

int run_combine(const CombineRequest& request, const std::stop_token& stop) {
  const Result<Operation> operation = operation_named(request.operation);
  if (!operation) return fail(operation.issue());
  if (request.inputs.size() < 2)
    return fail({"combine needs at least two parts", request.inputs.front(), {}, "name the part first, then its tools"});
  CombineSettings settings;
  if (!request.contact.empty()) {
    Field field = steps::combine.fields[*field_place(steps::combine.fields, "contact")];
    field.label = "--contact";
    const Result<FieldValue> contact = parse_value(field, request.contact);
    if (!contact) return fail(contact.issue());
    const FieldValues alone{*contact};
    settings.contact = FieldReader({&field, 1}, alone).length("contact");
  }
  if (auto issue = refused(request.inputs, request)) return fail(*issue);
  if (asks_for_pieces(request.output) && !makes_pieces(*operation))
    return fail({fmt::format("{} gives no pieces", request.operation), request.output, {},
                 "name one output file; {} is for split, partition and inlay"});
  Clock clock;
  Seconds seconds;
  std::vector<Operand> operands;
  for (const std::string& path : request.inputs) {
    Result<Loaded> loaded = load(path, stop);
    if (!loaded) return fail(loaded.issue());
    operands.push_back({std::make_shared<const Mesh>(std::move(loaded->mesh)), path, *operation, Affine::Identity()});
  }
  seconds.read = clock.lap();
  progress("Combining");
  Result<BooleanResult> combined = combine(operands, {stop}, settings);
  if (!combined) return fail(combined.issue());
  seconds.compute = combined->report.seconds;
  if (makes_pieces(*operation)) combined->report.tell(pieces_made, combined->pieces, request.inputs.front());
  const PlacedEdges fresh = placed(combined->mesh, combined->fresh_edges);
  const auto [meshes, outputs] = by_pieces(std::move(combined->mesh), combined->piece, combined->pieces, request.output);
  operands.clear();  // writing and checking large results needs the memory
  combined->sources = {};
  return finish(request.inputs, meshes, combined->report, outputs, request, seconds, stop, Json::object(), {}, fresh);
}

int run_apply(const ApplyRequest& request, const std::stop_token& stop, StepTable table) {
  const StepKind* kind = find_step_kind(request.step, table);
  if (kind == nullptr) {
    std::string known;
    for (const StepKind* k : table) known += (known.empty() ? "" : ", ") + k->key;
    return fail({fmt::format("there is no step \"{}\"", request.step), "", {}, "use one of " + known});
  }
  if (!works_alone(kind->tools) && (kind->tools == ToolRule::none) != (request.inputs.size() == 1))
    return fail({kind->tools == ToolRule::none ? fmt::format("{} takes no tools", kind->key) : fmt::format("{} needs tools", kind->key),
                 request.inputs.back(), {}, kind->tools == ToolRule::none ? "name one file" : "name the part first, then its tools"});
  if (auto issue = refused(request.inputs, request)) return fail(*issue);
  FieldValues values = initial_values(kind->fields);
  if (auto issue = set_fields(kind->fields, request.set, kind->key, values)) return fail(*issue);
  Clock clock;
  Seconds seconds;
  std::vector<std::shared_ptr<const Mesh>> meshes;
  for (const std::string& path : request.inputs) {
    Result<Loaded> loaded = load(path, stop, kind->takes_points);
    if (!loaded) return fail(loaded.issue());
    meshes.push_back(std::make_shared<const Mesh>(std::move(loaded->mesh)));
  }
  values = suited_values(*kind, *meshes[0]);
  if (auto issue = set_fields(kind->fields, request.set, kind->key, values)) return fail(*issue);
  StepInput input{meshes[0], request.inputs[0], {}, {kind->fields, values}, {}, nullptr, {stop}};
  // Which operation tools have is a field of the kinds that use them.
  const auto operation_field = field_place(kind->fields, "operation");
  for (std::size_t k = 1; k < meshes.size(); ++k)
    input.tools.push_back({meshes[k], Affine::Identity(),
                           operation_field ? *operation_named(std::get<std::string>(values[*operation_field])) : Operation::difference,
                           request.inputs[k]});
  const std::vector<std::array<Index, 2>> fresh_before = read_fresh_edges(request.inputs[0], *meshes[0]);
  input.fresh_edges = fresh_before;
  input.free_of_crossings = [](std::size_t) { return false; };  // not known, and the step finds it out sooner than we would
  seconds.read = clock.lap();
  progress(kind->label);
  Result<StepOutput> output = kind->run(input);
  if (!output) {
    // There is no card here to take from what is chosen in a view.
    if (const auto chosen = field_place(kind->fields, "chosen"); chosen && values[*chosen] == kind->fields[*chosen].initial)
      output.issue().remedy = fmt::format("name them: --set \"chosen={} at x,y,z; x,y,z\"", to_text(values[*chosen]));
    return fail(output.issue());
  }
  seconds.compute = clock.lap();
  if (output->pieces > 1) output->report.tell(pieces_made, output->pieces, request.inputs.front());
  if (output->piece.empty()) output->piece.assign(output->mesh.face_count(), 0);
  const PlacedEdges fresh = placed(output->mesh, output->fresh_edges);
  const auto [written, outputs] = by_pieces(std::move(output->mesh), output->piece, output->pieces, request.output);
  return finish(request.inputs, written, output->report, outputs, request, seconds, stop, Json::object(), {}, fresh);
}

namespace {

/// Keeps only the menders of the families named, by their switches.
std::optional<Issue> keep_only(const std::vector<std::string>& families, const StepKind& kind, FieldValues& values) {
  if (families.empty()) return std::nullopt;
  std::string known;
  for (const Mender* mender : mender_table()) {
    values[*field_place(kind.fields, mender->key)] = false;
    for (const Family* family : {mender->family, mender->also})
      if (family != nullptr && known.find(family->key) == std::string::npos) known += (known.empty() ? "" : ", ") + std::string(family->key);
  }
  for (const std::string& name : families) {
    const std::string key = name == "holes" ? families::open_edges.key : name;
    bool found = false;
    for (const Mender* mender : mender_table())
      for (const Family* family : {mender->family, mender->also})
        if (family != nullptr && key == family->key) values[*field_place(kind.fields, mender->key)] = found = true;
    if (!found) return Issue{fmt::format("--only {}: nothing mends that", name), "mend", {}, "use holes or some of " + known};
  }
  return std::nullopt;
}

Json comparison_json(const std::string& input, const Comparison& comparison) {
  Json json = Json::object();
  json["before"] = check_json(input, *comparison.before);
  json["deviation"] = {{"max", comparison.deviation.max()}, {"mean", comparison.deviation.mean()}};
  json["left"] = comparison.left;
  return json;
}

}  // namespace

int run_mend(const MendRequest& request, const std::stop_token& stop) {
  const StepKind& kind = *find_step_kind("mend");
  if (!request.plan) {
    if (request.output.empty()) return fail({"there is no output file", request.input, {}, "name one with -o, or ask for the --plan"});
    if (auto issue = refused({request.input}, request)) return fail(*issue);
    if (asks_for_pieces(request.output)) return fail({"mend gives no pieces", request.output, {}, "name one output file"});
  } else if (auto issue = files_refused({{request.input}, "", request.json})) {
    return fail(*issue);
  }
  FieldValues values = initial_values(kind.fields);
  if (auto issue = keep_only(request.only, kind, values)) return fail(*issue);
  if (auto issue = set_fields(kind.fields, request.set, kind.key, values)) return fail(*issue);
  Clock clock;
  Seconds seconds;
  Result<Loaded> loaded = load(request.input, stop);
  if (!loaded) return fail(loaded.issue());
  seconds.read = clock.lap();
  progress(request.plan ? "Planning" : "Mending");
  const StepInput input{std::make_shared<const Mesh>(std::move(loaded->mesh)), request.input, {}, {kind.fields, values}, {}, nullptr, {stop}};
  Result<StepOutput> output = kind.run(input);
  if (!output) return fail(output.issue());
  seconds.compute = clock.lap();
  const Comparison& comparison = *output->comparison;
  if (!request.plan) {
    for (const std::string& why : comparison.left) fmt::print(stderr, "note: {}: {}\n", request.input, why);
    return finish({request.input}, {output->mesh}, output->report, {request.output}, request, seconds, stop, comparison_json(request.input, comparison));
  }
  std::string lines = fmt::format("{}: {}\n", request.input, verdict(*comparison.before));
  Json plan = Json::array();
  for (std::size_t k = 0; k < comparison.repairs.size(); ++k) {
    lines += fmt::format("  {}. {}\n", k + 1, comparison.repairs[k].words);
    plan.push_back({{"mender", comparison.repairs[k].key}, {"count", comparison.repairs[k].count}, {"words", comparison.repairs[k].words}});
  }
  for (const std::string& why : comparison.left) lines += fmt::format("  left: {}\n", why);
  lines += fmt::format("  then: {}\n", verdict(*comparison.after));
  Json json = operation_json({request.input}, check_json(request.input, *comparison.after), output->report, seconds);
  json.update(comparison_json(request.input, comparison));
  json["plan"] = plan;
  if (!request.json.empty())
    if (auto written = write_json(json, request.json); !written) return fail(written.issue());
  if (request.json != "-")
    if (auto printed = print(lines); !printed) return fail(printed.issue());
  return comparison.after->sound ? done : not_sound;
}

int run_make(const MakeRequest& request, const std::stop_token& stop) {
  const StockKind* kind = find_stock(request.kind);
  if (kind == nullptr) {
    std::string known;
    for (const StockKind& k : stock_table()) known += (known.empty() ? "" : ", ") + k.key;
    return fail({fmt::format("there is no stock \"{}\"", request.kind), "", {}, "use one of " + known});
  }
  if (auto issue = refused({}, request)) return fail(*issue);
  Primitive primitive{kind, initial_values(kind->fields)};
  if (auto issue = set_fields(kind->fields, request.set, kind->key, primitive.values)) return fail(*issue);
  Clock clock;
  const Result<Mesh> mesh = make_mesh(primitive);
  if (!mesh) return fail(mesh.issue());
  Seconds seconds;
  seconds.compute = clock.lap();
  return finish({}, {*mesh}, {}, names_of_one(request.output), request, seconds, stop);
}

int run_steps(const StepsRequest& request, StepTable table) {
  if (auto issue = files_refused({{}, "", request.json})) return fail(*issue);
  Json all = Json::array();
  std::string lines;
  auto add = [&](const std::string& key, const char* what, const std::string& label, const std::string& help, bool tools, bool suits,
                 std::span<const Field> fields) {
    if (!request.key.empty() && request.key != key) return;
    Json list = Json::array();
    lines += fmt::format("{:<12} {:<6} {}\n", key, what, help);
    if (!request.key.empty())
      for (const Field& field : fields)
        lines += fmt::format("  {:<12} {:<10} {}\n  {:<12} {:<10} initially {}; {}\n", field.key, name_of(field.kind), field.help, "", "",
                             to_text(field, field.initial), range_of(field));
    for (const Field& field : fields) list.push_back(field_json(field));
    if (!request.key.empty() && suits) lines += "  Lengths that are not set suit the size of the part.\n";
    all.push_back({{"suits", suits}, {"key", key}, {"what", what}, {"label", label}, {"help", help}, {"tools", tools}, {"fields", list}});
  };
  for (const StepKind* kind : table) add(kind->key, "step", kind->label, kind->help, kind->tools != ToolRule::none, kind->suit != nullptr, kind->fields);
  for (const StockKind& kind : stock_table()) add(kind.key, "stock", kind.label, kind.help, false, false, kind.fields);
  if (all.empty()) return fail({fmt::format("there is no step and no stock \"{}\"", request.key), "", {}, "list all with: clean-anvil-cli steps"});
  if (!request.json.empty())
    if (auto written = write_json(request.key.empty() ? all : all[0], request.json); !written) return fail(written.issue());
  if (request.json != "-")
    if (auto printed = print(lines); !printed) return fail(printed.issue());
  return done;
}

int run_recipe(const RunRequest& request, const std::stop_token& stop) {
  if (auto issue = refused({request.job}, request)) return fail(*issue);
  Clock clock;
  Result<Job> job = load_job(request.job);
  if (!job) return fail(job.issue());
  for (const std::string& assignment : request.set) {
    job = set_in_job(*job, assignment, request.job);
    if (!job) return fail(job.issue());
  }
  Seconds seconds;
  seconds.read = clock.lap();
  Result<Loaded> loaded = evaluate_job(*job, request.job, request.part, stop);
  if (!loaded) return fail(loaded.issue());
  seconds.compute = loaded->report.seconds;
  seconds.check = std::max(0.0, clock.lap() - seconds.compute);
  if (!asks_for_pieces(request.output))
    return finish({request.job}, {loaded->mesh}, loaded->report, {request.output}, request, seconds, stop, Json::object(), WriteSettings{*faces_named(request.faces), true, 0, loaded->parts, job->title});
  return finish({request.job}, loaded->pieces, loaded->report, piece_names(request.output, loaded->pieces.size()), request, seconds, stop);
}

int run_convert(const ConvertRequest& request, const std::stop_token& stop) {
  if (auto issue = files_refused({{request.input}, request.output, ""})) return fail(*issue);
  if (is_job(request.output)) {
    std::vector<std::string> notes;
    Result<Part> part = import_part(request.input, Unit::millimetre, &notes);
    if (!part) return fail(part.issue());
    say_notes(request.input, notes);
    Job job;
    job.title = part->name;
    job.unit = Unit::millimetre;
    const std::shared_ptr<const Mesh> mesh = std::get<ImportedSource>(part->source).mesh;
    const SoundnessReport judged = check_soundness(*mesh, stop);
    if (auto written = save_job(edit::add_part(job, *part), request.output); !written) return fail(written.issue());
    if (auto printed = print(fmt::format("{}: {}, {} triangles\n", request.output, verdict(judged), judged.triangles)); !printed) return fail(printed.issue());
    return judged.sound || mesh->cloud ? done : not_sound;
  }
  if (const auto format = format_of(request.output); !format) return fail(format.issue());
  Result<Loaded> loaded = load(request.input, stop, true);
  if (!loaded) return fail(loaded.issue());
  if (asks_for_pieces(request.output) && !loaded->pieces.empty())
    return finish({request.input}, loaded->pieces, loaded->report, piece_names(request.output, loaded->pieces.size()), request, {}, stop);
  WriteSettings how{*faces_named(request.faces)};
  how.parts = std::move(loaded->parts);
  return finish({request.input}, {std::move(loaded->mesh)}, loaded->report, names_of_one(request.output), request, {}, stop, Json::object(), std::move(how));
}

}  // namespace anvil::cli
