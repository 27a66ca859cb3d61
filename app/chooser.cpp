// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/chooser.h"

#include <algorithm>

#include "app/session.h"
#include "core/modify/find_again.h"

namespace anvil::app {
namespace {

constexpr std::size_t max_wires = 200'000;
// So many elements, in a mesh of so many faces, are found again at every change while one waits; more are let go.
constexpr std::size_t max_followed = 20'000, max_followed_in = 300'000;

DrawnEdge drawn_edge(const Mesh& mesh, const Vec3& centre, const std::array<Index, 2>& ends) {
  DrawnEdge edge{};
  for (int k = 0; k < 3; ++k) {
    edge.a[k] = static_cast<float>(mesh.positions[ends[0]][k] - centre[k]);
    edge.b[k] = static_cast<float>(mesh.positions[ends[1]][k] - centre[k]);
  }
  return edge;
}

}  // namespace

Chooser::Chooser(Session& session) : QObject(&session), session_(session) {
  constexpr int at_once = 8;  // one that is wanted does not wait for those that were
  making_.setMaxThreadCount(at_once);
  connect(&session_, &Session::result_changed, this, &Chooser::follow);
  connect(&session_, &Session::selection_changed, this, &Chooser::follow);
  connect(&session_, &Session::job_changed, this, &Chooser::follow);
}

PartId Chooser::part() const { return of_; }

void Chooser::start(ElementKind kind) {
  on_ = true;
  follow();
  prepare_topology();
  if (kind != chosen_.kind) {
    if (const Topology* t = topology(); t != nullptr && !chosen_.empty())
      chosen_ = converted(*evaluated_->mesh, *t, chosen_, kind);
    else
      chosen_ = {kind, {}};
    forget_drawing();
  }
  emit changed();
}

void Chooser::stop() {
  if (!on_) return;
  on_ = false;
  chosen_.list.clear();
  forget_drawing();
  emit changed();
}

void Chooser::set_way(Way way) {
  way_ = way;
  if (!on_) start(chosen_.kind);
  emit changed();
}

void Chooser::set_through(bool through) {
  through_ = through;
  emit changed();
}

/// Takes over the part's newest result.
void Chooser::follow() {
  const PartId owner = session_.recipe_owner();
  const EvaluatedPtr now = owner == 0 ? nullptr : session_.result(owner).evaluated;
  if (owner == of_ && owner != 0 && session_.result(owner).coarser) return;  // the choice is of what that stands in for
  const std::shared_ptr<const Mesh> before = evaluated_ ? evaluated_->mesh : nullptr;
  if (owner == of_ && (now ? now->mesh : nullptr) == before) {
    evaluated_ = now;
    return;
  }
  const bool same_part = owner == of_;
  std::string old;
  if (same_part && on_ && now && before && !chosen_.empty() && chosen_.size() <= max_followed &&
      std::max(before->face_count(), now->mesh->face_count()) <= max_followed_in)
    old = text();
  of_ = owner;
  evaluated_ = now;
  topology_.reset();
  if (on_) prepare_topology();
  chosen_.list.clear();
  wires_.reset();
  forget_drawing();
  if (!old.empty()) choose_text(old);
  if (on_) emit changed();
}

void Chooser::prepare_topology() {
  if (!evaluated_ || topology_ || (coming_.valid() && coming_of_ == evaluated_->mesh)) return;
  coming_of_ = evaluated_->mesh;
  // What comes for a mesh that has been replaced is let go when it is there: nobody waits for it.
  auto work = std::make_shared<std::packaged_task<std::shared_ptr<const Topology>()>>([mesh = evaluated_->mesh] { return std::make_shared<const Topology>(*mesh); });
  coming_ = work->get_future();
  making_.start([work] { (*work)(); });
}

const Topology* Chooser::topology() {
  if (!evaluated_) return nullptr;
  if (topology_) return topology_.get();
  if (coming_.valid() && coming_of_ == evaluated_->mesh) topology_ = coming_.get();
  coming_of_.reset();
  if (!topology_) topology_ = std::make_shared<const Topology>(*evaluated_->mesh);
  return topology_.get();
}

bool Chooser::fits(const Field& field) {
  if (!on_ || chosen_.empty()) return false;
  if (field.kind == FieldKind::edges) return count_as(ElementKind::edges) > 0;
  if (field.kind != FieldKind::elements) return false;
  const bool as_it_is = std::any_of(field.choices.begin(), field.choices.end(), [&](const FieldChoice& c) { return c.key == name_of(chosen_.kind, true); });
  ElementKind kind = chosen_.kind;
  for (const ElementKind each : {ElementKind::vertices, ElementKind::edges, ElementKind::faces})
    if (!as_it_is && field.choices[0].key == name_of(each, true)) kind = each;
  const auto count = static_cast<double>(count_as(kind));
  return count >= field.min && (field.max == 0 || count <= field.max);
}

std::size_t Chooser::count_as(ElementKind kind) {
  if (!on_ || chosen_.empty() || kind == chosen_.kind || !evaluated_) return on_ ? chosen_.size() : 0;
  auto& known = counts_[static_cast<std::size_t>(kind)];
  if (!known) known = converted(*evaluated_->mesh, *topology(), chosen_, kind).size();
  return *known;
}

void Chooser::choose(std::vector<Index> elements, Change change) {
  const Topology* t = topology();
  if (t == nullptr || !on_) return;  // choosing may have ended while a region was drawn
  std::vector<char> there(t->count(*evaluated_->mesh, chosen_.kind), 0);
  if (change == Change::replace) chosen_.list.clear();
  if (change == Change::take_away) {
    for (Index e : elements) there[e] = 1;
    std::erase_if(chosen_.list, [&](Index e) { return there[e] != 0; });
  } else {
    for (Index e : chosen_.list) there[e] = 1;
    for (Index e : elements)
      if (!std::exchange(there[e], 1)) chosen_.list.push_back(e);
  }
  forget_drawing();
  emit changed();
}

void Chooser::choose(Elements elements) {
  on_ = true;
  chosen_ = std::move(elements);
  forget_drawing();
  emit changed();
}

void Chooser::choose_by(const std::function<Elements(const Mesh&, const Topology&, const Elements&)>& way) {
  if (const Topology* t = topology()) choose(way(*evaluated_->mesh, *t, chosen_));
}

std::string Chooser::text() { return topology() == nullptr ? std::string() : describe(*evaluated_->mesh, *topology(), chosen_); }

std::string Chooser::text_as(ElementKind kind) {
  if (topology() == nullptr) return {};
  return describe(*evaluated_->mesh, *topology(), converted(*evaluated_->mesh, *topology(), chosen_, kind));
}

std::optional<std::size_t> Chooser::choose_text(const std::string& text) {
  const Topology* t = topology();
  if (t == nullptr) return std::nullopt;
  Result<FoundElements> found = find_again(*evaluated_->mesh, *t, text);
  if (!found) return std::nullopt;
  const std::size_t missing = found->missing.size();
  choose(std::move(found->found));
  return missing;
}

void Chooser::forget_drawing() {
  drawable_.reset();
  counts_ = {};
}

std::shared_ptr<const Drawable> Chooser::drawable() {
  if (!on_ || chosen_.empty() || !evaluated_ || !evaluated_->drawable) return nullptr;
  if (drawable_) return drawable_;
  const Mesh& mesh = *evaluated_->mesh;
  auto made = std::make_shared<Drawable>();
  made->centre = evaluated_->drawable->centre;
  made->box = evaluated_->drawable->box;
  if (chosen_.kind == ElementKind::edges)
    for (Index e : chosen_.list) made->fresh.push_back(drawn_edge(mesh, made->centre, topology()->edges.vertices[e]));
  if (chosen_.kind == ElementKind::faces) {
    const TriangleList& all = evaluated_->drawable->triangle_list;  // in the order of faces
    for (Index f : chosen_.list) {
      const auto [first, last] = std::equal_range(all.face.begin(), all.face.end(), f);
      for (auto t = first - all.face.begin(); t < last - all.face.begin(); ++t)
        for (Index v : all.triangles[static_cast<std::size_t>(t)]) {
          made->triangles.push_back(static_cast<std::uint32_t>(made->positions.size() / 3));
          for (int k = 0; k < 3; ++k) made->positions.push_back(static_cast<float>(mesh.positions[v][k] - made->centre[k]));
        }
    }
    // Their outlines, so that faces without any extent are seen as well.
    for (Index e : boundary_loop(mesh, *topology(), chosen_).list) made->fresh.push_back(drawn_edge(mesh, made->centre, topology()->edges.vertices[e]));
  }
  return drawable_ = made;
}

std::shared_ptr<const Drawable> Chooser::wires() {
  if (!on_ || topology() == nullptr || !evaluated_->drawable || topology()->edges.size() > max_wires) return nullptr;
  if (wires_) return wires_;
  auto made = std::make_shared<Drawable>();
  made->centre = evaluated_->drawable->centre;
  made->box = evaluated_->drawable->box;
  for (const auto& ends : topology()->edges.vertices) made->edges.push_back(drawn_edge(*evaluated_->mesh, made->centre, ends));
  return wires_ = made;
}

}  // namespace anvil::app
