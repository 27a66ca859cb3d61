// SPDX-License-Identifier: GPL-3.0-or-later
// Primitives with real dimensions. One table describes every kind of stock: the makers, the card, the job file and the
// command line all read it.
#pragma once

#include <span>
#include <string>

#include "core/fields.h"
#include "core/mesh/mesh.h"

namespace anvil {

/// One kind of stock, a row of the table.
struct StockKind {
  std::string key, label, icon;
  std::string help;           ///< one sentence
  std::vector<Field> fields;  ///< its dimensions
  /// Builds the mesh around the origin, its axis along z, faces counter-clockwise from outside. Closed for every kind
  /// but the sheet; flat sides are single polygons. Values are in range and have passed `check`.
  Result<Mesh> (*make)(const FieldReader&);
  /// What the ranges of single fields cannot say, such as a tube thicker than its ring; null: nothing.
  std::optional<Issue> (*check)(const FieldReader&);
};

/// No stock is made of more faces; what would be says so before it is made.
inline constexpr double max_made_faces = 1e7;
/// @param fields  by which it can be made of fewer
std::optional<Issue> too_many_faces(double faces, const char* fields);

/// All kinds, in the order in which they are offered.
const std::vector<StockKind>& stock_table();
/// Null when there is no such kind.
const StockKind* find_stock(std::string_view key);

/// A primitive by its dimensions, in the order of its kind's fields.
struct Primitive {
  const StockKind* kind = nullptr;
  FieldValues values;

  /// The kind with its initial dimensions. An unknown key is a programming error (std::logic_error).
  static Primitive of(std::string_view key);
  /// The kind with these numbers; must be as many as it has fields.
  static Primitive of(std::string_view key, std::initializer_list<double> numbers);
  bool operator==(const Primitive&) const = default;
  FieldReader fields() const { return {kind->fields, values}; }
  /// "120 × 64 × 48 mm" or "20 × 30 mm".
  std::string summary() const;
};

/// Why these dimensions make no solid: one out of its range, or two that do not go together. Names the field.
std::optional<Issue> check_dimensions(const Primitive& primitive);

/// Builds the mesh, or says what check_dimensions() says.
Result<Mesh> make_mesh(const Primitive& primitive);

}  // namespace anvil
