// SPDX-License-Identifier: GPL-3.0-or-later
// Metric threads as solids: the rod, or the tool that cuts the nut, with the basic profile of ISO 68-1 and the sizes and pitches
// of ISO 261 (both from memory).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/stock/kinds.h"

namespace anvil {
namespace {

struct Size {
  const char* name;
  double diameter, pitch;
};
/// ISO 261: coarse pitches, then the finer ones that are common.
constexpr Size sizes[] = {
    {"M1.6", 1.6, 0.35}, {"M2", 2, 0.4},   {"M2.5", 2.5, 0.45}, {"M3", 3, 0.5},    {"M3.5", 3.5, 0.6}, {"M4", 4, 0.7},    {"M5", 5, 0.8},
    {"M6", 6, 1},        {"M8", 8, 1.25},  {"M10", 10, 1.5},    {"M12", 12, 1.75}, {"M14", 14, 2},     {"M16", 16, 2},    {"M18", 18, 2.5},
    {"M20", 20, 2.5},    {"M22", 22, 2.5}, {"M24", 24, 3},      {"M27", 27, 3},    {"M30", 30, 3.5},   {"M33", 33, 3.5},  {"M36", 36, 4},
    {"M39", 39, 4},      {"M42", 42, 4.5}, {"M45", 45, 4.5},    {"M48", 48, 5},    {"M52", 52, 5},     {"M56", 56, 5.5},  {"M60", 60, 5.5},
    {"M64", 64, 6},      {"M8x1", 8, 1},   {"M10x1.25", 10, 1.25}, {"M10x1", 10, 1}, {"M12x1.5", 12, 1.5}, {"M12x1.25", 12, 1.25}, {"M14x1.5", 14, 1.5},
    {"M16x1.5", 16, 1.5}, {"M18x1.5", 18, 1.5}, {"M20x1.5", 20, 1.5}, {"M22x1.5", 22, 1.5}, {"M24x2", 24, 2}, {"M27x2", 27, 2}, {"M30x2", 30, 2},
    {"M33x2", 33, 2},    {"M36x3", 36, 3}, {"M39x3", 39, 3},    {"M42x3", 42, 3},  {"M48x3", 48, 3},   {"M56x4", 56, 4},  {"M64x4", 64, 4}};

struct Dimensions {
  double major, minor, pitch, length, run_out;
  Index sides;
  bool left;
};

Dimensions dimensions_of(const FieldReader& fields) {
  double diameter = fields.number("diameter"), pitch = fields.number("pitch");
  for (const Size& size : sizes)
    if (fields.text("size") == size.name) diameter = size.diameter, pitch = size.pitch;
  // The basic profile: a triangle of 60 degrees, cut off by an eighth of its height outside and a quarter inside.
  const double height = std::numbers::sqrt3 / 2 * pitch;
  const double room = (fields.text("side") == "inner" ? 2 : -2) * fields.number("clearance");
  return {diameter + room, diameter - 2 * (5.0 / 8) * height + room, pitch, fields.number("length"), fields.number("run-out"), fields.count("sides"), fields.text("hand") == "left"};
}

/// A corner of the section at one angle: which corner of which turn, or the bottom or the top.
struct Corner {
  long which;
  double z, radius;
};
constexpr long bottom = -1'000'000'000, top = 1'000'000'000;

class Thread {
 public:
  explicit Thread(const Dimensions& d) : d_(d) {}

  Mesh make() {
    // Around the axis; after a full turn the same section, its corners counted from the turn before.
    std::vector<std::vector<Corner>> columns;
    std::vector<std::vector<Index>> vertices;
    for (Index j = 0; j < d_.sides; ++j) {
      columns.push_back(column(j));
      vertices.emplace_back();
      const double angle = 2 * std::numbers::pi * j / d_.sides;
      for (const Corner& c : columns.back()) vertices.back().push_back(mesh_.add_vertex({c.radius * std::cos(angle), c.radius * std::sin(angle), c.z - d_.length / 2}));
    }
    for (Index j = 0; j < d_.sides; ++j) {
      const Index next = (j + 1) % d_.sides;
      std::vector<Corner> there = columns[next];
      if (next == 0)
        for (Corner& c : there)
          if (c.which != bottom && c.which != top) c.which -= corners_per_turn;
      band(columns[j], vertices[j], there, vertices[next]);
    }
    std::vector<Index> low, high;
    for (const auto& column : vertices) low.push_back(column.front()), high.push_back(column.back());
    std::reverse(low.begin(), low.end());
    mesh_.add_face(low);
    mesh_.add_face(high);
    if (d_.left) {
      for (Vec3& p : mesh_.positions) p.x() = -p.x();
      reverse_faces(mesh_);
    }
    return std::move(mesh_);
  }

 private:
  static constexpr long corners_per_turn = 4;

  /// Radius at a height of what it is where the thread has its full depth.
  double faded(double radius, double z) const {
    if (d_.run_out <= 0) return radius;
    const double share = std::clamp(std::min(z, d_.length - z) / d_.run_out, 0.0, 1.0);
    return d_.minor / 2 + share * (radius - d_.minor / 2);
  }

  /// The section through the axis at one angle, from bottom to top.
  std::vector<Corner> column(Index j) const {
    // Heights of the corners within a turn, from the middle of the crest, and radii.
    const double crest = d_.major / 2, root = d_.minor / 2, pitch = d_.pitch;
    const double heights[] = {-pitch / 16, pitch / 16, 3 * pitch / 8, 5 * pitch / 8};
    const double radii[] = {crest, crest, root, root};
    const double shift = pitch * j / d_.sides;
    const double near = 1e-3 * pitch;  // no two corners of a column so near to each other
    std::vector<Corner> column;
    const auto turns = static_cast<long>(std::ceil(d_.length / pitch)) + 2;
    double low_radius = root, high_radius = root;
    Corner last{bottom, -1e300, root};
    for (long turn = -2; turn <= turns; ++turn)
      for (long k = 0; k < corners_per_turn; ++k) {
        const Corner corner{turn * corners_per_turn + k, static_cast<double>(turn) * pitch + shift + heights[k], radii[k]};
        // Where the section is cut off, its radius lies between those of the corners around.
        const auto at = [&](double z) { return last.radius + (corner.radius - last.radius) * (z - last.z) / (corner.z - last.z); };
        if (last.z <= 0 && corner.z > 0 && last.z > -1e299) low_radius = at(0);
        if (last.z <= d_.length && corner.z > d_.length) high_radius = at(d_.length);
        if (corner.z > near && corner.z < d_.length - near) column.push_back({corner.which, corner.z, faded(corner.radius, corner.z)});
        last = corner;
      }
    column.insert(column.begin(), {bottom, 0, faded(low_radius, 0)});
    column.push_back({top, d_.length, faded(high_radius, d_.length)});
    return column;
  }

  /// Faces between two columns: quads or pairs of triangles between the same corners, more where one is missing on a side.
  void band(const std::vector<Corner>& a, const std::vector<Index>& at_a, const std::vector<Corner>& b, const std::vector<Index>& at_b) {
    std::size_t i = 0, k = 0;
    while (i + 1 < a.size() || k + 1 < b.size()) {
      const bool more_a = i + 1 < a.size(), more_b = k + 1 < b.size();
      if (more_a && more_b && a[i].which == b[k].which && a[i + 1].which == b[k + 1].which && a[i].radius == a[i + 1].radius && b[k].radius == b[k + 1].radius && a[i].radius == b[k].radius) {
        mesh_.add_face({at_a[i], at_b[k], at_b[k + 1], at_a[i + 1]});  // the crest or the root: flat
        ++i, ++k;
        continue;
      }
      // The lower of the next two goes on; corners of one name go together.
      const bool step_a = !more_b || (more_a && a[i + 1].which <= b[k + 1].which);
      if (step_a)
        mesh_.add_face({at_a[i], at_b[k], at_a[i + 1]}), ++i;
      else
        mesh_.add_face({at_a[i], at_b[k], at_b[k + 1]}), ++k;
    }
  }

  Dimensions d_;
  Mesh mesh_;
};

std::vector<FieldChoice> size_choices() {
  std::vector<FieldChoice> choices{{"own", "by numbers"}};
  for (const Size& size : sizes) choices.push_back({size.name, fmt::format("{} · pitch {}", size.name, size.pitch)});
  return choices;
}

}  // namespace

StockKind thread_kind() {
  return {"thread", "Thread", "thread", "A metric thread: the rod, or the tool that cuts the nut.",
          {choice_field("size", "Size", "own", size_choices(), "A size of ISO 261, which gives diameter and pitch; or by the numbers below."),
           length_field("diameter", "Diameter", 10, "The nominal, outer diameter; counts where the size is by numbers."),
           length_field("pitch", "Pitch", 1.5, "From turn to turn; counts where the size is by numbers."),
           length_field("length", "Length", 30, "Along the axis."),
           choice_field("side", "Side", "outer", {{"outer", "outer, the rod"}, {"inner", "inner, to cut a nut"}}, "The threaded rod, or the tool that cuts the nut's thread."),
           choice_field("hand", "Hand", "right", {{"right", "right"}, {"left", "left"}}, "Which way it is turned to go in."),
           length_field("run-out", "Run-out", 0, "Over how much of each end the thread fades into the core.", 0),
           length_field("clearance", "Clearance", 0, "How much the rod is made thinner, or the tool thicker, all around.", 0),
           folded(count_field("sides", "Sides", 64, 16, 1024, "How many flat sides stand for one turn."))},
          [](const FieldReader& f) -> Result<Mesh> { return Thread(dimensions_of(f)).make(); },
          [](const FieldReader& f) -> std::optional<Issue> {
            const Dimensions d = dimensions_of(f);
            if (d.minor <= 0.02 * d.major) return Issue{fmt::format("a pitch of {:.6g} mm leaves no core in a diameter of {:.6g} mm", d.pitch, d.major), "", {}, "choose a finer pitch"};
            if (d.length < 0.25 * d.pitch) return Issue{fmt::format("{:.6g} mm is less than a quarter of a turn", d.length), "", {}, "choose a longer thread"};
            if (d.length / d.pitch * d.sides > 200000) return Issue{fmt::format("{:.0f} turns of {} sides are too many", d.length / d.pitch, d.sides), "", {}, "choose fewer sides or a shorter thread"};
            if (2 * d.run_out > d.length) return Issue{"the run-outs of both ends overlap", "", {}, "choose a run-out of less than half of the length"};
            return std::nullopt;
          }};
}

}  // namespace anvil
