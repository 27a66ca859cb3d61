// SPDX-License-Identifier: GPL-3.0-or-later
// What would be too large says so before it is begun, and names what to change.
#include <catch2/catch.hpp>

#include "core/shape/array.h"
#include "core/stock/primitive.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

TEST_CASE("stock of more faces than anybody wants is refused, with the field named") {
  Primitive helix = Primitive::of("helix");
  const auto set = [](Primitive& primitive, const char* key, FieldValue value) { primitive.values[*field_place(primitive.kind->fields, key)] = std::move(value); };
  set(helix, "turns", 1000.0);
  set(helix, "sides", 2048.0);
  const auto refused = make_mesh(helix);
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().what.find("million faces") != std::string::npos);
  CHECK(refused.issue().remedy.find("Turns") != std::string::npos);
  Primitive turned = Primitive::of("outline");
  set(turned, "how", std::string("turned"));
  set(turned, "sides", 2048.0);
  set(turned, "flatness", 1e-6);
  set(turned, "outline", std::string("1000,0~400 3000,0~400 3000,2000~400 1000,2000~400"));
  const auto fine = make_mesh(turned);
  REQUIRE_FALSE(fine);
  CHECK(fine.issue().remedy.find("Sides") != std::string::npos);
  // The largest that every other kind can be asked for stays below.
  for (const StockKind& kind : stock_table()) {
    double most = 1;
    for (const Field& field : kind.fields)
      if (field.kind == FieldKind::count && field.key != "seed" && field.key != "subdivisions") most *= field.max;
    INFO(kind.key);
    CHECK((most <= max_made_faces || kind.check != nullptr));
  }
}

TEST_CASE("copies along edges are counted before any is placed") {
  Mesh mesh;
  std::vector<std::array<Index, 2>> edges;
  for (Index k = 0; k < 1000; ++k) {
    mesh.add_vertex({0, 3.0 * k, 0});
    mesh.add_vertex({1, 3.0 * k, 0});
    edges.push_back({2 * k, 2 * k + 1});
  }
  ChainSettings settings;
  settings.count = 10'000;
  CHECK(chain_place_count(mesh, edges, settings) == 1e7);
  settings.count = 0;
  settings.distance = 1e-6;
  CHECK(chain_place_count(mesh, edges, settings) >= 1e9);
  settings.distance = 0.5;
  const std::vector<Vec3> normals(mesh.positions.size(), Vec3::UnitZ());
  CHECK(chain_place_count(mesh, edges, settings) >= static_cast<double>(chain_places(mesh, edges, normals, settings).size()));
}
