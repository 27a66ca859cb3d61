// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/recipe_runner.h"

#include <tbb/parallel_for.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>

#include "core/mesh/sub_mesh.h"
#include "core/mesh/union_find.h"
#include "core/soundness/check.h"
#include "job/edit.h"

namespace anvil {
namespace {

template <class T>
void put(std::string& key, const T& value) {
  static_assert(std::is_trivially_copyable_v<T>);
  key.append(reinterpret_cast<const char*>(&value), sizeof value);
}

template <class T>
std::string_view bytes_of(const std::vector<T>& list) {
  return {reinterpret_cast<const char*>(list.data()), list.size() * sizeof(T)};
}

template <class T>
std::size_t size_of(const std::vector<T>& list) {
  return list.size() * sizeof(T);
}

std::size_t size_of(const Mesh& mesh) {
  return size_of(mesh.positions) + size_of(mesh.corners) + size_of(mesh.face_offsets) + size_of(mesh.materials.of_face) +
         size_of(mesh.origins) + size_of(mesh.regions) + size_of(mesh.normals);
}

std::size_t size_of(const Drawable& d) {
  // The hierarchy takes about as much as 40 bytes a triangle.
  return size_of(d.positions) + size_of(d.shade) + size_of(d.triangles) + size_of(d.edges) + size_of(d.fresh) + size_of(d.proxy) +
         size_of(d.triangle_list.triangles) + size_of(d.triangle_list.face) + 40 * d.triangle_list.triangles.size();
}

std::size_t size_of(const SoundnessReport& report) {
  std::size_t bytes = 0;
  for (const FamilyReport& family : report.families)
    for (const Defect& defect : family.defects)
      bytes += sizeof defect + size_of(defect.faces) + size_of(defect.edges) + size_of(defect.vertices) + defect.note.size();
  return bytes;
}

/// A tool's placement in the frame of its part. Taken straight from the tool when it rides along, so that
/// moving both leaves it unchanged to the last bit.
Affine relative_placement(const Job& job, const Part& part, const Part& tool) {
  if (tool.rides_on == part.id) return tool.placement.matrix();
  return job.world_of(part.id).inverse() * job.world_of(tool.id);
}

/// Does a face run around the same points in both meshes?
bool same_polygon(const Mesh& a, Index f, const Mesh& b, Index g) {
  const auto p = a.face(f), q = b.face(g);
  if (p.size() != q.size()) return false;
  for (std::size_t shift = 0; shift < q.size(); ++shift) {
    std::size_t k = 0;
    while (k < p.size() && a.positions[p[k]] == b.positions[q[(shift + k) % q.size()]]) ++k;
    if (k == p.size()) return true;
  }
  return false;
}

/// Where one input of a step begins in the cast of the whole.
struct Offset {
  Index parts = 0, steps = 0;
};

/// Places of a cast that are told apart: origins of faces hold them in 32 bits.
constexpr Index most_places = 1'000'000'000;
Index together(Index places, Index more) { return static_cast<Index>(std::min<std::uint64_t>(no_index - 1, std::uint64_t{places} + more)); }
/// Why a part has too many.
Issue too_many_places() {
  return {"is made of parts that are made of parts, more than 1 000 000 000 times in all", cast_token(0), {}, "forge one of the parts it is made of, or use it as it is now"};
}

/// Origins of a step's result out of those of its inputs. A face that is just as it was keeps its own; any other one was
/// made by this step.
std::vector<FaceOrigin> compose_origins(const Mesh& made, const FaceSources& sources, const std::vector<const Mesh*>& inputs,
                                        const std::vector<Offset>& offsets, Index step) {
  std::vector<FaceOrigin> origins(made.face_count());
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(origins.size()), 4096), [&](const auto& range) {
    for (Index f = range.begin(); f < range.end(); ++f) {
      const Index input = sources.input[f], face = sources.face[f];
      FaceOrigin origin = face == no_index ? FaceOrigin{} : origin_of(*inputs[input], face);
      const bool untouched = face != no_index && input == 0 && same_polygon(made, f, *inputs[0], face);
      origin.part += offsets[input].parts;
      if (!untouched)
        origin.step = step;
      else if (origin.step != no_index)
        origin.step += offsets[input].steps;
      origins[f] = origin;
    }
  });
  return origins;
}

}  // namespace

double Evaluated::seconds() const {
  double sum = 0;
  for (const StepReport& step : steps) sum += step.report.seconds;
  return sum;
}

std::vector<Mesh> separate_pieces(const Evaluated& evaluated) {
  const Mesh& mesh = *evaluated.mesh;
  std::vector<Index> piece = evaluated.piece;
  Index count = evaluated.pieces;
  if (count < 2) {
    // Shells: faces that share vertices.
    UnionFind sets(mesh.positions.size());
    for (std::size_t f = 0; f < mesh.face_count(); ++f)
      for (Index v : mesh.face(f)) sets.unite(mesh.face(f)[0], v);
    std::map<Index, Index> number;
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const Index shell = mesh.face(f).empty() ? 0 : sets.find(mesh.face(f)[0]);
      piece.push_back(number.try_emplace(shell, static_cast<Index>(number.size())).first->second);
    }
    count = static_cast<Index>(number.size());
  }
  std::vector<Mesh> pieces;
  for (SubMesh& one : take_apart(mesh, piece, count)) {
    one.mesh.origins.clear();  // as parts of their own they are their own sources
    pieces.push_back(std::move(one.mesh));
  }
  return pieces;
}

/// The right to make what a key stands for: one thread has it, the others wait for it to be there, or take over where it was
/// stopped. Who has one waits only for what that is made of, so nobody waits in a circle.
class RecipeRunner::Claim {
 public:
  Claim(RecipeRunner& runner, const ContentKey& key, const Control& control) : runner_(runner), key_(key) {
    std::unique_lock lock(runner_.mutex_);
    if (!runner_.released_.wait(lock, control.stop, [&] { return !runner_.claimed_.contains(key_); })) throw Stopped{};
    runner_.claimed_.insert(key_);
  }
  ~Claim() {
    {
      const std::lock_guard lock(runner_.mutex_);
      runner_.claimed_.erase(key_);
    }
    runner_.released_.notify_all();
  }
  Claim(const Claim&) = delete;
  Claim& operator=(const Claim&) = delete;

 private:
  RecipeRunner& runner_;
  ContentKey key_;
};

/// What is kept of a step, for as long as it runs. Who finds that another run has it begins with nothing, and does not wait.
class RecipeRunner::Borrowed {
 public:
  Borrowed(RecipeRunner& runner, std::pair<PartId, StepId> step) : runner_(runner), step_(step) {
    const std::lock_guard lock(runner_.mutex_);
    if (auto found = runner_.kept_.extract(step_)) kept_ = std::move(found.mapped());
  }
  ~Borrowed() {
    const std::lock_guard lock(runner_.mutex_);
    runner_.kept_[step_] = std::move(kept_);
  }
  Borrowed(const Borrowed&) = delete;
  Borrowed& operator=(const Borrowed&) = delete;
  KeptOfStep* operator->() { return &kept_; }

 private:
  RecipeRunner& runner_;
  std::pair<PartId, StepId> step_;
  KeptOfStep kept_;
};

RecipeRunner::RecipeRunner()
    : limit_(std::max<std::size_t>(std::size_t{256} << 20,
                                   static_cast<std::size_t>(sysconf(_SC_PHYS_PAGES)) * static_cast<std::size_t>(sysconf(_SC_PAGESIZE)) / 4)) {}

ContentKey RecipeRunner::mesh_key(const std::shared_ptr<const Mesh>& mesh) {
  KnownMesh& known = known_meshes_[mesh.get()];
  if (known.mesh.lock() != mesh) {
    std::string names;
    for (const std::string& name : mesh->materials.names) names += name + '\0';
    known = {mesh, ContentKey{}.with("m").with(bytes_of(mesh->positions)).with(bytes_of(mesh->corners)).with(bytes_of(mesh->face_offsets))
                       .with(bytes_of(mesh->materials.of_face)).with(bytes_of(mesh->normals)).with(bytes_of(mesh->regions)).with(names)};
  }
  return known.key;
}

ContentKey RecipeRunner::source_key(const Job& job, const Part& part) {
  if (const auto* primitive = std::get_if<Primitive>(&part.source)) {
    std::string key = "p" + primitive->kind->key;
    anvil::add_to_key(key, primitive->values);
    return ContentKey{}.with(key);
  }
  if (const auto* from = std::get_if<PartSource>(&part.source)) {
    if (from->kept != nullptr) return mesh_key(from->kept);
    std::string key = "from";
    if (const Part* other = job.find(from->part)) anvil::put(key, keys_of(job, *other).back());
    return ContentKey{}.with(key);
  }
  if (const auto* forged = std::get_if<ForgedSource>(&part.source)) return mesh_key(forged->mesh);
  return mesh_key(std::get<ImportedSource>(part.source).mesh);
}

void RecipeRunner::add_to_key(const Job& job, const Part& part, const std::vector<ToolUse>& rows, std::string& key) {
  for (const ToolUse& row : rows) {
    anvil::put(key, row.operation);
    if (row.is_tray()) {
      anvil::put(key, row.inside.size());
      add_to_key(job, part, row.inside, key);
      continue;
    }
    anvil::put(key, row.is_live() ? keys_of(job, job.at(row.tool)).back() : mesh_key(row.kept));
    const Affine placed = relative_placement(job, part, job.at(row.tool));
    key.append(reinterpret_cast<const char*>(placed.data()), 16 * sizeof(double));
  }
}

ContentKey RecipeRunner::step_key(const Job& job, const Part& part, const Step& step, const ContentKey& before) {
  std::string key = step.kind->key + '\0';
  anvil::add_to_key(key, step.fields);
  if (step.stands_in) key += "stands in";
  add_to_key(job, part, active_rows(job, step.tools), key);
  return before.with(key);
}

const std::vector<ContentKey>& RecipeRunner::keys_of(const Job& job, const Part& part) {
  if (job.parts != keys_.parts || job.sets != keys_.sets) keys_ = {job.parts, job.sets, {}};
  if (const auto known = keys_.of.find(part.id); known != keys_.of.end()) return known->second;
  std::vector<ContentKey> keys{source_key(job, part)};
  for (const Step* step : active_steps(job, part)) keys.push_back(step_key(job, part, *step, keys.back()));
  return keys_.of[part.id] = std::move(keys);
}

ContentKey RecipeRunner::content_of(const Job& job, PartId id) { return contents_of(job, id).back(); }

std::vector<ContentKey> RecipeRunner::contents_of(const Job& job, PartId id) {
  const std::lock_guard lock(mutex_);
  return keys_of(job, job.at(id));
}

RecipeRunner::Node* RecipeRunner::known(const ContentKey& key) {
  const auto it = nodes_.find(key);
  if (it == nodes_.end()) return nullptr;
  it->second.used = ++clock_;
  return &it->second;
}

EvaluatedPtr RecipeRunner::result_of(const ContentKey& key) {
  const std::lock_guard lock(mutex_);
  const Node* node = known(key);
  return node == nullptr ? nullptr : node->evaluated;
}

/// @param report  null: what is known of it stays
void RecipeRunner::put(const ContentKey& key, EvaluatedPtr evaluated, ReportPtr report) {
  const std::lock_guard lock(mutex_);
  Node& node = nodes_[key];
  node.used = ++clock_;
  if (evaluated) node.evaluated = std::move(evaluated);
  if (report) node.report = std::move(report);
  settle_bytes(node);
}

Evaluated RecipeRunner::make_source(const Job& job, const Part& part, const Control& control) {
  {
    const std::lock_guard lock(mutex_);
    ++counts_.sources;
  }
  Evaluated source;
  const auto failed = [&](Issue issue) {
    source.error = std::move(issue);
    source.mesh = std::make_shared<const Mesh>();
    return source;
  };
  if (const auto* primitive = std::get_if<Primitive>(&part.source)) {
    Result<Mesh> made = make_mesh(*primitive);
    if (!made) {
      made.issue().subject = cast_token(0);
      return failed(made.issue());
    }
    source.mesh = std::make_shared<const Mesh>(std::move(*made));
  } else if (const auto* from = std::get_if<PartSource>(&part.source)) {
    if (from->kept != nullptr) {
      source.mesh = from->kept;
      return source;
    }
    if (job.find(from->part) == nullptr) return failed({"is made from a part that is deleted", cast_token(0), {}, "undo the deletion"});
    const EvaluatedPtr other = evaluate(job, from->part, control, false);
    source.cast_parts = together(source.cast_parts, other->cast_parts);
    source.cast_steps = together(source.cast_steps, other->cast_steps);
    if (std::max(source.cast_parts, source.cast_steps) > most_places && !other->error) return failed(too_many_places());
    source.piece = other->piece;
    source.pieces = other->pieces;
    source.open_on_purpose = other->open_on_purpose;
    source.free_of_crossings = other->free_of_crossings;
    if (other->error) {
      Issue issue = *other->error;
      for (std::string* text : {&issue.what, &issue.subject, &issue.remedy}) *text = shifted_tokens(*text, 1);
      source.piece.clear();
      source.pieces = 1;
      return failed(std::move(issue));
    }
    // Its faces come from that part, which stands behind this one in the cast.
    auto mesh = std::make_shared<Mesh>(*other->mesh);
    if (mesh->origins.empty())
      for (Index f = 0; f < mesh->face_count(); ++f) mesh->origins.push_back({0, f, no_index});
    for (FaceOrigin& origin : mesh->origins) ++origin.part;
    source.mesh = std::move(mesh);
  } else if (const auto* forged = std::get_if<ForgedSource>(&part.source)) {
    source.mesh = forged->mesh;
  } else {
    source.mesh = std::get<ImportedSource>(part.source).mesh;
  }
  return source;
}

namespace {

/// The tools of a step, opened: in the order in which their faces are counted.
struct Opened {
  std::vector<const Mesh*> meshes;
  std::vector<Offset> offsets;
  std::vector<std::function<bool()>> free_of_crossings;
  std::vector<std::string> names;  ///< of the tools
};

}  // namespace

RecipeRunner::Made RecipeRunner::run_step(const Job& job, const Part& part, const Step& step, const Evaluated& before,
                                          const ContentKey& before_key, const ContentKey& key, const Control& control, How how) {
  Evaluated after;
  after.cast_parts = before.cast_parts;
  after.cast_steps = before.cast_steps;
  after.steps = before.steps;
  auto failed = [&](Issue issue) {
    after.mesh = before.mesh;
    after.piece = before.piece;
    after.pieces = before.pieces;
    after.open_on_purpose = before.open_on_purpose;
    after.free_of_crossings = before.free_of_crossings;
    after.error = std::move(issue);
    after.error_step = after.cast_steps;
    ++after.cast_steps;
    return Made{after, nullptr};
  };
  StepInput input{before.mesh, cast_token(0), {}, step.values(), {}, nullptr, control, before.piece, before.pieces, before.fresh_edges, step.stands_in};
  Opened opened{{before.mesh.get()}, {{}}, {[&] {
                  return before.free_of_crossings || check_node(before_key, std::make_shared<const Evaluated>(before), control)->free_of_crossings();
                }}, {}};
  std::vector<EvaluatedPtr> held;
  std::optional<Issue> tool_error;
  const auto open = [&](const auto& self, const ToolUse& row) -> StepInput::Tool {
    StepInput::Tool tool{nullptr, Affine::Identity(), row.operation, {}, {}};
    if (row.is_tray()) {
      tool.name = row.name;
      for (const ToolUse& inner : row.inside) tool.tray.push_back(self(self, inner));
      return tool;
    }
    tool.placement = relative_placement(job, part, job.at(row.tool));
    tool.name = cast_token(after.cast_parts);
    opened.offsets.push_back({after.cast_parts, after.cast_steps});
    if (row.is_live()) {
      const EvaluatedPtr made = evaluate(job, row.tool, control, false);
      if (made->error && !tool_error) {
        tool_error = *made->error;
        for (std::string* text : {&tool_error->what, &tool_error->subject, &tool_error->remedy}) *text = shifted_tokens(*text, after.cast_parts);
      }
      tool.mesh = made->mesh;
      after.cast_parts = together(after.cast_parts, made->cast_parts);
      after.cast_steps = together(after.cast_steps, made->cast_steps);
      opened.free_of_crossings.push_back([this, &job, &control, id = row.tool, made] { return check_node(content_of(job, id), made, control)->free_of_crossings(); });
      held.push_back(made);
    } else {
      tool.mesh = row.kept;
      ++after.cast_parts;
      opened.free_of_crossings.push_back([this, &control, kept = row.kept] {
        Evaluated alone;
        alone.mesh = kept;
        const ContentKey of_mesh = [&] {
          const std::lock_guard lock(mutex_);
          return mesh_key(kept);
        }();
        return check_node(of_mesh, std::make_shared<const Evaluated>(std::move(alone)), control)->free_of_crossings();
      });
    }
    opened.meshes.push_back(tool.mesh.get());
    opened.names.push_back(tool.name);
    return tool;
  };
  for (const ToolUse& row : active_rows(job, step.tools)) input.tools.push_back(open(open, row));
  if (tool_error) return failed(std::move(*tool_error));
  if (std::max(after.cast_parts, after.cast_steps) > most_places) return failed(too_many_places());
  for (std::size_t k = 0; k < opened.meshes.size() && !step.kind->takes_points; ++k)
    if (opened.meshes[k]->cloud) return failed({"is a cloud of points, and this step works on faces", k == 0 ? cast_token(0) : opened.names[k - 1], {}, "recast it first"});
  input.free_of_crossings = [&](std::size_t which) { return opened.free_of_crossings[which](); };
  if (on_making) on_making(step.id, key);
  Borrowed kept(*this, {part.id, step.id});
  input.cache = &kept->engine;
  std::string settings;
  anvil::add_to_key(settings, step.fields);
  std::vector<ContentKey> rows;
  {
    const std::lock_guard lock(mutex_);
    ++counts_.steps;
    for (const ToolUse& row : active_rows(job, step.tools)) {
      std::string of_row;
      add_to_key(job, part, {row}, of_row);
      rows.push_back(ContentKey{}.with(of_row));
    }
  }
  std::optional<StepOutput> quick;
  if (how == How::live)
    quick = kept->moving.run(*step.kind, input, before_key.with(settings), rows);
  else
    kept->moving.note(before_key.with(settings), std::move(rows));
  const bool is_live = quick.has_value();
  Result<StepOutput> made = is_live ? Result<StepOutput>(std::move(*quick)) : step.kind->run(input);
  if (!made) return failed(made.issue());
  const Index number = after.cast_steps++;
  made->mesh.origins = compose_origins(made->mesh, made->sources, opened.meshes, opened.offsets, number);
  after.mesh = std::make_shared<const Mesh>(std::move(made->mesh));
  after.steps.push_back({number, std::move(made->report), std::move(made->comparison), std::move(made->grips), std::move(made->guides)});
  after.pieces = made->pieces;
  if (after.pieces > 1) after.piece = std::move(made->piece);
  after.open_on_purpose = made->open_on_purpose;
  after.free_of_crossings = made->free_of_crossings;
  after.fresh_edges = std::move(made->fresh_edges);
  return {std::move(after), made->soundness, is_live};
}

/// What comes after a failure waits for it to be mended; the cast goes on all the same.
Evaluated RecipeRunner::same_failure(const Job& job, PartId id, const Evaluated& before) {
  Evaluated same = before;
  same.drawable.reset();
  const Cast cast = cast_of(job, id);
  same.cast_parts = cast.part_count();
  same.cast_steps = cast.step_count();
  return same;
}

/// Brings back what a whole recipe gave, where that is kept on disk.
void RecipeRunner::recall(const ContentKey& key, const Control& control) {
  const std::shared_ptr<ResultStore> store = [&] {
    const std::lock_guard lock(mutex_);
    return nodes_.contains(key) && nodes_[key].evaluated ? nullptr : store_;
  }();
  if (!store) return;
  const Claim claim(*this, key, control);
  if (result_of(key)) return;
  if (std::optional<ResultStore::Kept> kept = store->load(key))
    put(key, std::make_shared<const Evaluated>(std::move(kept->evaluated)), std::move(kept->report));
}

void RecipeRunner::keep(const Job& job, PartId id) {
  constexpr double worth_it = 0.02;  // seconds
  const ContentKey key = content_of(job, id);
  std::unique_lock lock(mutex_);
  const auto it = nodes_.find(key);
  if (!store_ || it == nodes_.end() || !it->second.evaluated || it->second.evaluated->error || it->second.evaluated->seconds() < worth_it) return;
  const Node node = it->second;
  const std::shared_ptr<ResultStore> store = store_;
  lock.unlock();
  if (!store->has(key)) store->save(key, *node.evaluated, node.report);
}

void RecipeRunner::set_store(std::shared_ptr<ResultStore> store) {
  const std::lock_guard lock(mutex_);
  store_ = std::move(store);
}

RecipeRunner::Counts RecipeRunner::counts() const {
  const std::lock_guard lock(mutex_);
  return counts_;
}

bool RecipeRunner::is_ready(const Job& job, PartId id) {
  const EvaluatedPtr result = result_of(content_of(job, id));
  return result && result->drawable;
}

EvaluatedPtr RecipeRunner::evaluate(const Job& job, PartId id, const Control& control, bool with_drawable, How how) {
  const Part& part = job.at(id);
  const std::vector<ContentKey> keys = contents_of(job, id);
  const std::vector<const Step*> steps = active_steps(job, part);
  recall(keys.back(), control);
  // From the last step that is known already; all before it are asked for as well, so that they stay.
  EvaluatedPtr result;
  std::size_t at = 0;
  for (std::size_t k = keys.size(); k-- > 0;)
    if (EvaluatedPtr known = result_of(keys[k]); known && !result) {
      result = std::move(known);
      at = k;
    }
  if (!result) {
    const Claim claim(*this, keys[0], control);
    if (!(result = result_of(keys[0]))) {
      if (on_making) on_making(0, keys[0]);
      result = std::make_shared<const Evaluated>(make_source(job, part, control));
      put(keys[0], result, nullptr);
    }
  }
  // From the first step on that is made live nothing is kept: the next frame is another one.
  ContentKey here = keys[at];
  bool is_live = false;
  for (; at + 1 < keys.size(); ++at) {
    std::optional<Claim> claim;
    if (!is_live) claim.emplace(*this, keys[at + 1], control);
    if (EvaluatedPtr known = is_live ? nullptr : result_of(keys[at + 1])) {
      result = std::move(known);
      here = keys[at + 1];
      continue;
    }
    Made made = result->error ? Made{same_failure(job, id, *result), nullptr} : run_step(job, part, *steps[at], *result, here, keys[at + 1], control, how);
    if (made.is_live) {
      here = keys[at + 1].with("live");
    } else if (is_live) {
      const std::lock_guard lock(mutex_);
      here = step_key(job, part, *steps[at], here);
    } else {
      here = keys[at + 1];
    }
    is_live = is_live || made.is_live;
    result = std::make_shared<const Evaluated>(std::move(made.evaluated));
    if (!is_live) put(here, result, std::move(made.report));
  }
  if (with_drawable && !result->drawable) {
    const ContentKey drawn = here.with("drawn");
    const Claim claim(*this, drawn, control);
    if (EvaluatedPtr known = is_live ? nullptr : result_of(here); known && known->drawable) return known;
    if (on_making) on_making(0, drawn);
    {
      const std::lock_guard lock(mutex_);
      ++counts_.drawables;
    }
    Evaluated complete = *result;
    const Comparison* comparison = complete.comparison();
    const bool is_mapped = comparison != nullptr && comparison->deviation.from_new.at_vertex.size() == complete.mesh->positions.size();
    complete.drawable = std::make_shared<const Drawable>(make_drawable(*complete.mesh, control.stop, complete.fresh_edges,
                                                                       is_mapped ? &comparison->deviation.from_new : nullptr));
    result = std::make_shared<const Evaluated>(std::move(complete));
    if (!is_live) put(here, result, nullptr);
  }
  return result;
}

EvaluatedPtr RecipeRunner::coarser(const Job& job, PartId id, const Control& control) {
  const std::vector<ContentKey> keys = contents_of(job, id);
  const std::vector<const Step*> steps = active_steps(job, job.at(id));
  recall(keys.back(), control);
  std::size_t at = steps.size();
  while (at > 0 && !result_of(keys[at])) --at;
  while (at < steps.size() && steps[at]->kind->coarsen == nullptr) ++at;
  if (at >= steps.size()) return nullptr;
  const StepId step = steps[at]->id;
  const auto changed = [&](auto change) { return edit::change_part(job, id, [&](Part& part) { change(part.recipe, std::find_if(part.recipe.begin(), part.recipe.end(), [&](const Step& one) { return one.id == step; })); }); };
  const EvaluatedPtr before = evaluate(changed([](auto& recipe, auto here) { recipe.erase(here, recipe.end()); }), id, control, false);
  if (before->error || before->mesh->positions.empty()) return nullptr;
  double times = 0;
  const Job coarse = changed([&](auto&, auto here) { times = here->kind->coarsen(*here, *before->mesh); });
  if (times == 0) return nullptr;
  const EvaluatedPtr result = evaluate(coarse, id, control, true);
  // What it took is in its reports, also where it was known.
  return result->error || times * (result->seconds() - before->seconds()) < soon ? nullptr : result;
}

ReportPtr RecipeRunner::check_node(const ContentKey& key, const EvaluatedPtr& evaluated, const Control& control) {
  const auto known_already = [&]() -> ReportPtr {
    const std::lock_guard lock(mutex_);
    const Node* node = known(key);
    return node == nullptr ? nullptr : node->report;
  };
  if (ReportPtr report = known_already()) return report;
  const Claim claim(*this, key.with("check"), control);
  if (ReportPtr report = known_already()) return report;
  {
    const std::lock_guard lock(mutex_);
    ++counts_.checks;
  }
  auto report = std::make_shared<const SoundnessReport>(check_pieces(*evaluated->mesh, evaluated->piece, evaluated->pieces, control.stop));
  put(key, nullptr, report);
  return report;
}

ReportPtr RecipeRunner::check(const Job& job, PartId id, const Control& control) {
  const EvaluatedPtr evaluated = evaluate(job, id, control, false);
  const ContentKey key = content_of(job, id);
  if (on_making) on_making(0, key.with("check"));
  return check_node(key, evaluated, control);
}

ReportPtr RecipeRunner::known_report(const Job& job, PartId id) {
  const ContentKey key = content_of(job, id);
  const std::lock_guard lock(mutex_);
  const auto it = nodes_.find(key);
  return it == nodes_.end() ? nullptr : it->second.report;
}

void RecipeRunner::begin(const Job& job, How how) {
  const std::lock_guard lock(mutex_);
  begun_ = ++clock_;
  if (job.parts != keys_.parts) keys_ = {};
  std::erase_if(kept_, [&](const auto& item) {
    const Part* part = job.find(item.first.first);
    return part == nullptr || std::none_of(part->recipe.begin(), part->recipe.end(), [&](const Step& s) { return s.id == item.first.second; });
  });
  if (how == How::exact)
    for (auto& [step, kept] : kept_) kept.moving.rest();
  std::erase_if(known_meshes_, [](const auto& item) { return item.second.mesh.expired(); });
}

RecipeRunner::Memory RecipeRunner::memory() const {
  const std::lock_guard lock(mutex_);
  std::size_t engine = 0;
  for (const auto& [step, kept] : kept_) engine += kept.engine.bytes() + kept.moving.bytes();
  return {bytes_ + engine, limit_};
}

void RecipeRunner::set_limit(std::size_t bytes) {
  const std::lock_guard lock(mutex_);
  limit_ = bytes;
  forget_oldest();
}

void RecipeRunner::settle_bytes(Node& node) {
  bytes_ -= node.bytes;
  node.bytes = sizeof node + (node.evaluated ? size_of(*node.evaluated->mesh) + size_of(node.evaluated->piece) +
                                                   size_of(node.evaluated->fresh_edges) +
                                                   (node.evaluated->drawable ? size_of(*node.evaluated->drawable) : 0)
                                             : 0);
  if (node.report) node.bytes += size_of(*node.report);
  if (node.evaluated && !node.evaluated->steps.empty())
    if (const auto& comparison = node.evaluated->steps.back().comparison)
      node.bytes += (comparison->before ? size_of(*comparison->before) + size_of(*comparison->after) : 0) + size_of(comparison->deviation.from_new.at_vertex) +
                    size_of(comparison->deviation.from_new.in_triangle);
  bytes_ += node.bytes;
  forget_oldest();
}

void RecipeRunner::forget_oldest() {
  if (bytes_ <= limit_) return;
  std::vector<std::pair<std::uint64_t, ContentKey>> old;
  for (const auto& [key, node] : nodes_)
    if (node.used < begun_) old.emplace_back(node.used, key);
  std::sort(old.begin(), old.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
  for (const auto& [used, key] : old) {
    if (bytes_ <= limit_) return;
    const auto it = nodes_.find(key);
    bytes_ -= it->second.bytes;
    nodes_.erase(it);
  }
}

}  // namespace anvil
