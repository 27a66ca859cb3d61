// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/volumes.h"

#include <fmt/format.h>

#include <chrono>
#include <numbers>

#include "core/mesh/attributes.h"
#include "core/recast/field_lines.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

using namespace recast;

constexpr Note skinned_first{"skinned_first", "{1} was not sound: it was re-skinned first", "{1} was not sound: it was re-skinned first"};
constexpr Note volume_settled{"skin_settled", "1 place of the skin was settled by the engine", "{0} places of the skin were settled by the engine"};

/// A surface with its distance field.
struct Solid {
  std::vector<Vec3> positions;
  std::vector<Triangle> triangles;
  std::vector<Index> face;  ///< per triangle, of the part's mesh; no_index: none
  std::unique_ptr<SignedDistance> distance;
};

/// In the common space; a part that is not sound is re-skinned. @return nothing inside: no triangles
Result<Solid> solid_of(const Part& part, double detail, OperationReport& report, boolean::StageClock& stage, const Control& control) {
  Solid solid;
  Mesh mesh = *part.mesh;
  place(mesh, part.placement);
  if (!mesh.empty() && is_sound(mesh, {}, 1, control.stop)) {
    TriangleList list = triangulate(mesh);
    solid.positions = std::move(mesh.positions);
    solid.triangles = std::move(list.triangles);
    solid.face = std::move(list.face);
  } else {
    const Soup soup = soup_of({&part, 1}, report, control);
    if (soup.triangles.empty()) return solid;
    Result<Skin> skin = lay_skin(ground_on(soup.positions, soup.triangles, soup.normals, soup.closed, control), part.name, {detail, true}, stage, control);
    if (!skin) return skin.issue();
    report.tell(skinned_first, 1, part.name);
    const TriangleList list = triangulate(skin->mesh);  // the engine may have made polygons of it
    for (Index f : list.face) solid.face.push_back(skin->source[f] == no_index ? no_index : soup.face[skin->source[f]]);
    solid.positions = std::move(skin->mesh.positions);
    solid.triangles = list.triangles;
  }
  return solid;
}

/// Both together: the lower, and within `radius` of both surfaces a round between them.
FieldSample united(const FieldSample& a, const FieldSample& b, double radius) {
  const double x = radius - a.value, y = radius - b.value;
  if (radius <= 0 || x <= 0 || y <= 0) return a.value <= b.value ? a : b;
  const double h = std::hypot(x, y);
  return {radius - h, (x * a.gradient + y * b.gradient).stableNormalized(), a.value <= b.value ? a.source : b.source};
}
FieldSample turned(FieldSample a) {
  a.value = -a.value;
  a.gradient = -a.gradient;
  return a;
}

}  // namespace

Result<BooleanResult> blend_parts(std::span<const BlendPart> parts, const BlendSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  std::vector<Solid> solids;
  std::vector<Index> first{0};  // source numbers of each solid's triangles
  Box3 box;
  for (const BlendPart& part : parts) {
    Result<Solid> solid = solid_of(part.part, settings.detail, result.report, stage, control);
    if (!solid) return solid.issue();
    solids.push_back(std::move(*solid));
    first.push_back(first.back() + static_cast<Index>(solids.back().triangles.size()));
  }
  for (std::size_t k = 0; k < solids.size(); ++k) {
    if (solids[k].triangles.empty()) continue;
    solids[k].distance = std::make_unique<SignedDistance>(solids[k].positions, solids[k].triangles);
    if (k == 0 || parts[k].operation == Operation::unite)
      for (const Vec3& p : solids[k].positions) box.add(p);
  }
  box.add(Vec3(box.lo.array() - settings.blend));
  box.add(Vec3(box.hi.array() + settings.blend));
  const auto of_solid = [&](std::size_t k, const Vec3& p) {
    if (solids[k].distance == nullptr) return FieldSample{1e300, Vec3::Zero(), no_index};
    FieldSample sample = (*solids[k].distance)(p);
    sample.source += first[k];
    return sample;
  };
  Field field;
  field.steepest = settings.blend > 0 ? std::numbers::sqrt2 : 1;
  field.at = [&](const Vec3& p) {
    FieldSample all = of_solid(0, p);
    for (std::size_t k = 1; k < solids.size(); ++k) {
      const FieldSample one = of_solid(k, p);
      if (parts[k].operation == Operation::unite)
        all = united(all, one, settings.blend);
      else
        all = turned(united(turned(all), parts[k].operation == Operation::difference ? one : turned(one), settings.blend));
    }
    return all;
  };
  const std::string& name = parts[0].part.name;
  if (!box.empty()) {
    Result<Skin> skin = lay_skin(ground_of(field, box, control), name, {settings.detail, true}, stage, control);
    if (!skin) return skin.issue();
    if (skin->settled > 0) result.report.tell(volume_settled, skin->settled, name);
    result.mesh = std::move(skin->mesh);
    for (Index t : skin->source) {
      const auto solid = t == no_index ? std::size_t{0} : static_cast<std::size_t>(std::upper_bound(first.begin(), first.end(), t) - first.begin() - 1);
      result.sources.add(static_cast<Index>(solid), t == no_index ? no_index : solids[solid].face[t - first[solid]]);
    }
  }
  if (result.mesh.empty()) result.report.empty_reason = "nothing is left of it";
  std::vector<const Mesh*> from;
  for (const BlendPart& part : parts) from.push_back(part.part.mesh.get());
  carry_materials(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

Result<BooleanResult> shell_part(const Part& part, const ShellSettings& settings, const Control& control) {
  const auto begin = std::chrono::steady_clock::now();
  BooleanResult result;
  boolean::StageClock stage(result.report, control);
  Mesh own = *part.mesh;
  own.origins.clear();
  place(own, part.placement);
  if (own.empty() || !stage("check", 0.1, [&] { return is_sound(own, {}, 1, control.stop); }))
    return Issue{"is not sound, so that it has no inside to hollow", part.name, {}, "mend it first, or recast it"};
  if (!(settings.detail < settings.thickness))
    return Issue{fmt::format("a detail of {:.4g} is too coarse for a wall of {:.4g}", settings.detail, settings.thickness), part.name, {}, "take one below the thickness"};
  const TriangleList list = triangulate(own);
  const SignedDistance distance(own.positions, list.triangles);
  const double offset = settings.outside ? settings.thickness : -settings.thickness;
  const Field field{[&](const Vec3& p) {
    FieldSample sample = distance(p);
    sample.value -= offset;
    return sample;
  }};
  Box3 box = bounds(own);
  box.add(Vec3(box.lo.array() - std::max(0.0, offset)));
  box.add(Vec3(box.hi.array() + std::max(0.0, offset)));
  Result<Skin> skin = lay_skin(ground_of(field, box, control), part.name, {settings.detail, true}, stage, control);
  if (!skin) return skin.issue();
  if (skin->mesh.empty())
    return Issue{fmt::format("is nowhere as thick as two walls of {:.4g}, so nothing of it would be hollow", settings.thickness), part.name, {}, "take a thinner wall"};
  if (skin->settled > 0) result.report.tell(volume_settled, skin->settled, part.name);
  // The part and the new side, one of them turned over: nearer to each other than the wall they are nowhere.
  for (Index f = 0; f < own.face_count(); ++f) result.sources.add(0, f);
  for (Index t : skin->source) result.sources.add(0, t == no_index ? no_index : list.face[t]);
  own.materials = {};
  result.mesh = std::move(own);
  reverse_faces(settings.outside ? result.mesh : skin->mesh);
  append(result.mesh, skin->mesh);
  if (!settings.drains.empty()) {
    std::vector<Operand> operands{{std::make_shared<const Mesh>(result.mesh), part.name, Operation::unite, Affine::Identity(), true}};
    for (const Vec3& drain : settings.drains) {
      const FieldSample there = distance(drain);
      const Vec3 on = drain - there.value * there.gradient, out = there.gradient;
      // A little longer than the wall on both sides, but not so long that it reaches what lies opposite.
      const double reach = 1.5 * settings.thickness, radius = settings.drain_diameter / 2;
      const Vec3 from = settings.outside ? Vec3(on - 0.5 * settings.thickness * out) : Vec3(on - reach * out), to = settings.outside ? Vec3(on + reach * out) : Vec3(on + 0.5 * settings.thickness * out);
      const Vec3 u = out.unitOrthogonal(), v = out.cross(u);
      constexpr Index sides = 48;
      Mesh pin;
      std::vector<Index> low, high;
      for (Index k = 0; k < sides; ++k) {
        const double angle = 2 * std::numbers::pi * k / sides;
        const Vec3 across = radius * (std::cos(angle) * u + std::sin(angle) * v);
        low.push_back(pin.add_vertex(from + across));
        high.push_back(pin.add_vertex(to + across));
      }
      for (Index k = 0; k < sides; ++k) pin.add_face({low[k], low[(k + 1) % sides], high[(k + 1) % sides], high[k]});
      pin.add_face(high);
      std::reverse(low.begin(), low.end());
      pin.add_face(low);
      operands.push_back({std::make_shared<const Mesh>(std::move(pin)), "drain", Operation::difference, Affine::Identity(), true});
    }
    Result<BooleanResult> drained = combine(operands, control);
    if (!drained) return drained.issue();
    FaceSources sources;
    for (std::size_t f = 0; f < drained->sources.face.size(); ++f)
      sources.add(0, drained->sources.input[f] == 0 && drained->sources.face[f] != no_index ? result.sources.face[drained->sources.face[f]] : no_index);
    for (auto& done : drained->report.done)
      if (done.part != "drain") result.report.done.push_back(std::move(done));
    result.sources = std::move(sources);
    result.mesh = std::move(drained->mesh);
    result.mesh.materials = {};
    result.fresh_edges = std::move(drained->fresh_edges);
  }
  const std::array<const Mesh*, 1> from{part.mesh.get()};
  carry_materials(from, result.sources, result.mesh);
  result.piece.assign(result.mesh.face_count(), 0);
  result.free_of_crossings = true;
  result.report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  return result;
}

}  // namespace anvil
