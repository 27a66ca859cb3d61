// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/region_look.h"

#include <unordered_map>

#include "app/session.h"
#include "core/mesh/triangulate.h"

namespace anvil::app {
namespace {

/// The mesh with vertices of its own for each region, and whose they are.
std::pair<Mesh, std::vector<float>> parted(const Mesh& mesh, const std::vector<Index>& numbers) {
  Mesh made;
  std::vector<float> number_at;
  std::unordered_map<std::uint64_t, Index> known;
  std::vector<Index> ring;
  for (Index f = 0; f < mesh.face_count(); ++f) {
    ring.clear();
    for (Index v : mesh.face(f)) {
      const auto [it, is_new] = known.try_emplace(pair_key(numbers[f], v), static_cast<Index>(made.positions.size()));
      if (is_new) {
        made.add_vertex(mesh.positions[v]);
        number_at.push_back(static_cast<float>(numbers[f]));
      }
      ring.push_back(it->second);
    }
    made.add_face(ring);
  }
  return {std::move(made), std::move(number_at)};
}

}  // namespace

RegionLook::RegionLook(Session& session) : QObject(&session), session_(session) {
  connect(&session_, &Session::result_changed, this, &RegionLook::make);
  connect(&session_, &Session::selection_changed, this, &RegionLook::make);
}

void RegionLook::set_on(bool on) {
  on_ = on;
  make();
  emit changed();
}

bool RegionLook::is_there(PartId part) const {
  const EvaluatedPtr now = session_.result(part).evaluated;
  return on_ && part == session_.recipe_owner() && made_.drawable && now && of_ && now->mesh == of_->mesh;
}

std::shared_ptr<const Drawable> RegionLook::drawable(PartId part) const { return is_there(part) ? made_.drawable : nullptr; }

const std::vector<Region>& RegionLook::regions(PartId part) const {
  static const std::vector<Region> none;
  return is_there(part) ? made_.regions : none;
}

void RegionLook::make() {
  const EvaluatedPtr of = session_.recipe_owner() == 0 ? nullptr : session_.result(session_.recipe_owner()).evaluated;
  if (!on_ || of == nullptr || of->mesh->empty() || (of_ != nullptr && of_->mesh == of->mesh)) return;
  of_ = of;
  made_ = {};
  session_.read_beside(
      tr("Numbering regions"),
      [this, of](const std::stop_token& stop) {
        auto made = std::make_shared<Made>();
        try {
          const std::vector<Index> numbers = region_numbers(*of->mesh);
          made->regions = regions_of(*of->mesh, numbers);
          auto [mesh, number_at] = parted(*of->mesh, numbers);
          OneWay as_numbers;
          as_numbers.at_vertex = std::move(number_at);
          as_numbers.in_triangle.assign(triangulate(mesh).triangles.size(), 0);
          Drawable drawable = make_drawable(mesh, stop, {}, &as_numbers);
          drawable.by_region = true;
          // Where regions were parted the part is not open.
          for (std::size_t e = 0; e < drawable.open_count; ++e) drawable.edges[e].kind = 1;
          drawable.open_count = 0;
          made->drawable = std::make_shared<const Drawable>(std::move(drawable));
        } catch (const Stopped&) {
        }
        return std::function<void()>([this, of, made] {
          if (of_ != of) return;
          if (made->drawable)
            made_ = std::move(*made);
          else
            of_.reset();
          emit changed();
        });
      },
      [this] { of_.reset(); });
}

}  // namespace anvil::app
