// SPDX-License-Identifier: GPL-3.0-or-later
// The driver of the engine: prepare → untouched → gather → pairs → contact → intersect → subdivide → classify → round →
// (repair, and again) → assemble, one file each; and what to try when a way contradicts itself.
#include "core/boolean/combine.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <cmath>
#include <optional>
#include <utility>

#include "core/boolean/cache.h"
#include "core/boolean/contradiction.h"
#include "core/boolean/expression.h"
#include "core/boolean/assemble.h"
#include "core/boolean/facets.h"
#include "core/boolean/repair.h"
#include "core/mesh/broad_phase.h"
#include "core/mesh/edges.h"
#include "core/mesh/sub_mesh.h"
#include "core/soundness/check.h"

namespace anvil {
namespace {

constexpr Note stays_open{"stays_open", "{1} is open and stays open", "{1} is open and stays open"};

using namespace boolean;

constexpr Note changes_nothing{"changes_nothing", "{1} changes nothing where it is", "{1} changes nothing where it is"};
constexpr Note made_to_meet{"made_to_meet", "1 place made to meet within the contact tolerance", "{0} places made to meet within the contact tolerance"};
constexpr Note put_on_grid{"put_on_grid", "faces lay too near each other for rounding: all corners were put on a grid of {1} mm",
                           "faces lay too near each other for rounding: all corners were put on a grid of {1} mm"};
constexpr Note tools_nudged{"tools_nudged", "faces lay too near each other for rounding: 1 tool was moved by a hundred-billionth of the size",
                            "faces lay too near each other for rounding: {0} tools were moved by a hundred-billionth of the size"};
constexpr Note skins_left_out{"skins_left_out", "1 thin sheet, below rounding, left out", "{0} thin sheets, below rounding, left out"};
constexpr Note rounds_to_settle{"rounds_to_settle", "rounding settled in 1 round", "rounding settled in {0} rounds", Note::Place::program};
constexpr Note gathered{"gathered", "{1} gathered as it is", "{1} gathered, {0} parts as they are"};

struct Named {
  Operation operation;
  const char* key;
};
constexpr Named operations[] = {
    {Operation::unite, "union"},       {Operation::difference, "difference"},   {Operation::intersection, "intersection"},
    {Operation::split, "split"},       {Operation::partition, "partition"},     {Operation::inlay, "inlay"},
    {Operation::score, "score"},       {Operation::trim_inside, "trim-inside"}, {Operation::trim_outside, "trim-outside"},
    {Operation::gather, "gather"},
};

std::string why_empty(const std::vector<Operand>& operands) {
  for (std::size_t k = operands.size(); k-- > 1;) {
    if (operands[k].operation == Operation::intersection) return "the parts have nothing in common";
    if (operands[k].operation == Operation::difference) break;
  }
  return operands.size() == 2 ? "the tool covers the whole part" : "the tools cover the whole part";
}

/// Does visit(part) for an operand, or for all that is in its tray and in trays there, in order.
void for_each_part(auto& operand, const auto& visit) {
  if (operand.tray.empty()) visit(operand);
  for (auto& member : operand.tray) for_each_part(member, visit);
}

/// Combinations that have no meaning, before anything is computed.
std::optional<Issue> senseless(const std::vector<Operand>& operands) {
  if (operands.empty()) return Issue{"there is nothing to combine", "", {}, "choose at least one part"};
  for (const Operand& operand : operands) {
    if (operand.tray.empty() && operand.mesh == nullptr)
      return Issue{"it has no mesh", operand.name, {}, "leave it out"};
    for (const Operand& member : operand.tray) {
      if (&member != &operand.tray.front() && member.operation != Operation::unite &&
          member.operation != Operation::difference && member.operation != Operation::intersection)
        return Issue{fmt::format("cannot {} inside a tray", key_of(member.operation)), member.name, {},
                     "use union, difference or intersection there"};
      if (auto inner = senseless(operand.tray)) return inner;
    }
  }
  return std::nullopt;
}

std::vector<PreparedPtr> prepared_parts(const Expression& expression, CombineCache* cache, const Control& control,
                                        std::optional<Issue>& refused) {
  std::vector<PreparedPtr> parts;
  CombineCache passing;
  CombineCache::State& state = (cache != nullptr ? *cache : passing).state();
  state.begin_run();
  parts.resize(expression.parts().size());
  std::vector<std::optional<Issue>> issues(parts.size());
  tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t k) {
    check_stop(control);
    Result<PreparedPtr> part = state.get(*expression.parts()[k], expression.may_be_sheet()[k] != 0, control);
    if (part)
      parts[k] = *part;
    else
      issues[k] = part.issue();
  });
  for (const auto& issue : issues)
    if (issue) {
      refused = issue;
      return {};
    }
  return parts;
}

void carry_slots(const std::vector<const Operand*>& parts, BooleanResult& result) {
  std::vector<const Mesh*> meshes;
  for (const Operand* part : parts) meshes.push_back(part->mesh.get());
  carry_slots(meshes, result.sources, result.mesh);
}

/// Adds parts that are only gathered, face by face, and numbers all parts in the order in which they were given.
void append_gathered(const Expression& expression, BooleanResult& result) {
  if (expression.gathered().empty()) return;
  for (Index& part : result.sources.input) part = expression.place_of_part()[part];
  std::size_t place = 0;
  for (const Operand* operand : expression.gathered()) {
    std::vector<const Operand*> members;
    for_each_part(*operand, [&](const Operand& member) { members.push_back(&member); });
    for (const Operand* member : members) {
      Mesh mesh = *member->mesh;
      mesh.origins.clear();
      anvil::place(mesh, member->placement);
      for (Index f = 0; f < mesh.face_count(); ++f) {
        result.sources.add(expression.place_of_gathered()[place], f);
        result.piece.push_back(0);
      }
      append(result.mesh, mesh);
      ++place;
    }
    result.report.tell(gathered, members.size(), operand->name);
  }
}

/// Which faces of a result have a corner where settling has made or changed a triangle, or that is farther than `visibly` from where
/// it was.
std::vector<char> changed_faces(const Rounded& rounded, const Mesh& mesh, double visibly) {
  const auto before = [](const Vec3& p, const Vec3& q) { return std::tie(p.x(), p.y(), p.z()) < std::tie(q.x(), q.y(), q.z()); };
  std::vector<Vec3> places;
  for (std::size_t i = 0; i < rounded.triangles.size(); ++i)
    for (Index v : rounded.triangles[i])
      if (rounded.provenance[i].settled || rounded.reach[v] > visibly) places.push_back(rounded.points[v]);
  std::sort(places.begin(), places.end(), before);
  Box3 around;
  for (const Vec3& p : places) around.add(p);
  std::vector<char> changed(mesh.face_count(), 0);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh.face_count()), 4096), [&](const auto& range) {
    for (Index f = range.begin(); f < range.end(); ++f)
      for (Index v : mesh.face(f))
        changed[f] = changed[f] || (overlap(Box3{mesh.positions[v], mesh.positions[v]}, around) && std::binary_search(places.begin(), places.end(), mesh.positions[v], before));
  });
  return changed;
}

/// @param contact  the tolerance, by which what is thin may have closed
Issue encloses_nothing(const Prepared& part, const std::string& name, double contact) {
  double volumes = 0, area = 0;
  for (const auto& [a, b, c] : part.triangles) {
    const Vec3 &origin = part.points[part.triangles[0][0]], p = part.points[a] - origin, q = part.points[b] - origin, r = part.points[c] - origin;
    volumes += p.dot(q.cross(r)) / 6;
    area += (q - p).cross(r - p).norm() / 2;
  }
  // Of a plate the thickness, of others less than that.
  const double thickness = area > 0 ? 2 * std::abs(volumes) / area : 0;
  if (thickness > 0 && thickness < contact)
    return {fmt::format("{}: it is thinner than {:.3g} mm, the contact tolerance, within which faces are made to meet", bounds_nothing, contact), name, {part.box.centre()},
            "make it larger, or choose a smaller contact tolerance where the step has one"};
  return {std::string(bounds_nothing) + ": its faces enclose no volume", name, {part.box.centre()}, "use it with split or score, mend it, or recast it as one watertight mesh"};
}

/// @param all_near  look at every triangle one by one
/// @param passes  of contact, as long as they change something: each is offered the points of the last one. With none nothing
///                is made to meet; thin sheets are dissolved all the same
/// @param level  of snap-rounding repair; beyond the last a result that does not come to rest is given with a note
Result<BooleanResult> compute(const std::vector<Operand>& operands, const Control& control, const CombineSettings& settings,
                              int passes, bool all_near, int level, std::size_t patience) {
  const StageClock::Clock::time_point begin = StageClock::Clock::now();
  if (auto issue = senseless(operands)) return *issue;
  BooleanResult result;
  StageClock stage(result.report, control);
  const Expression expression(operands);
  const std::vector<const Operand*>& names = expression.parts();
  if (names.size() > 1 || settings.resolve) {
    std::optional<Issue> refused;
    const auto parts = stage("prepare", 0.1, [&] { return prepared_parts(expression, settings.cache, control, refused); });
    if (refused) return *refused;
    // A sheet that is drawn on or trimmed stays one.
    const bool opens = expression.trims() || parts[0]->sheet;
    for (const PreparedPtr& p : parts)
      for (const auto& done : p->done)
        result.report.done.push_back(done.what() == "cuts_as_sheet" && p == parts[0] ? OperationReport::Done{&stays_open, 1, done.part} : done);
    Box3 box;
    for (const PreparedPtr& p : parts) box.add(p->box.lo), box.add(p->box.hi);
    const double extent = std::max(box.lo.cwiseAbs().maxCoeff(), box.hi.cwiseAbs().maxCoeff());
    const double tolerance = contact_tolerance(settings.contact, box);
    const double contact = passes > 0 ? tolerance : 0;
    const Untouched untouched = stage("untouched", 0.12, [&] { return find_untouched(parts, 2 * (contact + max_repair_contact * extent), all_near, control); });
    auto [soup, meeting] = stage("gather", 0.15, [&] { return gather(untouched, expression.scores()); });
    std::vector<TrianglePair> pairs = stage("pairs", 0.2, [&] {
      auto found = find_pairs(soup, {contact, &meeting}, control);
      weld_parts(soup, found);
      return found;
    });
    // What turning does to a flat polygon is a thousandth of that.
    const double flat_within = std::min(contact, std::ldexp(extent, -42));
    // Where contact found nothing that is near without meeting, there are no thin sheets to look for.
    bool near_misses = contact == 0;
    // What comes to rest in several passes has up to eight times as many at first where they are few, three times where they are many.
    const std::size_t given_pairs = pairs.size(), max_pairs = 6 * given_pairs + 50'000;
    for (int k = 0; k < passes && contact > 0; ++k) {
      const ContactCount made = stage("contact", 0.3, [&] { return make_contact(soup, pairs, contact, flat_within, 0, control); });
      if (k == 0 && made.places > 0) result.report.tell(made_to_meet, made.places, names.front()->name, made.places_at);
      if (!made.changed) break;
      near_misses = true;
      const bool again = k + 1 < passes;
      try {
        pairs = stage("pairs", 0.3, [&] { return find_pairs(soup, {again ? contact : 0, nullptr, max_pairs}, control); });
      } catch (const Contradiction& contradiction) {
        throw ContactDiverges(contradiction.what());
      }
    }
    if (near_misses && contact > 0) find_facets_again(soup, pairs);
    CellClassifier classifier;
    classifier.label_of = [&](std::span<const int> winding) { return expression.label_of(winding); };
    if (expression.trims()) classifier.trims_away = [&](std::span<const int> winding) { return expression.trims_away(winding); };
    classifier.by_place = expression.pieces_by_place();
    classifier.makes_pieces = expression.makes_pieces();
    classifier.neutral_winding = expression.neutral_winding();
    classifier.tolerance = near_misses ? tolerance : 0;
    // Where faces lie many deep, contact can make faces that cross each other all over.
    PointLimits limits;
    if (near_misses && contact > 0) limits.crossed = 16 * soup.points.size() + 2 * given_pairs + 20'000;
    Pass pass = arrange(soup, std::move(pairs), classifier, false, limits, stage, control);
    for (std::size_t k = 0; k < parts.size(); ++k)
      if (!pass.bounds[k] && !parts[k]->sheet)
        return encloses_nothing(*parts[k], names[k]->name, classifier.tolerance);
    for (std::size_t k = 0; k < parts.size(); ++k)
      if (pass.idle[k]) result.report.tell(changes_nothing, 1, names[k]->name, {parts[k]->box.centre()});
    if (pass.dissolved > 0) result.report.tell(skins_dissolved, pass.dissolved, names.front()->name, pass.dissolved_at);
    if (pass.left_out > 0) result.report.tell(skins_left_out, pass.left_out, names.front()->name);
    // What was moved by more than rounding may cross what lies beside it in its own part.
    const double visibly = std::ldexp(extent, -40);
    const bool moved_visibly = soup.reach.largest() > visibly;
    soup = {};
    // Beyond all repair level the result is given as rounding left it, with a note.
    const bool may_be_unsound = level > max_repair_level;
    OperationReport before = result.report;
    // @return false where the result is not sound
    auto is_assembled = [&](Assembly how, int rounds) {
      result.mesh = {};
      result.sources = {};
      result.piece = {};
      result.fresh_edges = {};
      result.report = before;
      if (!stage("assemble", 1, [&] { return assemble(parts, names, pass.rounded, {how, contact, near_misses || rounds > 0 ? tolerance : 0}, result, control); }))
        return false;
      // Where rounding had to be settled, contact has moved something, or solids touch, the result is looked at again by other code; for
      // crossings, what is not as the first look found it good, or as the parts were.
      const bool touches = std::any_of(result.report.done.begin(), result.report.done.end(),
                                       [](const auto& done) { return done.note == &contact_edges; });
      if (how == Assembly::anyhow || (rounds == 0 && !touches && !moved_visibly) || opens || result.mesh.empty()) return true;
      return stage("check", 1, [&] {
        const std::vector<char> changed = touches ? std::vector<char>() : changed_faces(pass.rounded, result.mesh, visibly);
        // Contact alone leaves nothing else in doubt.
        if (rounds == 0 && !touches && result.pieces < 2) return crosses_nowhere(result.mesh, changed, control.stop);
        return is_sound(result.mesh, result.piece, result.pieces, control.stop, changed);
      });
    };
    // Of so many points rounding is about sure to spoil some.
    constexpr std::ptrdiff_t many_points = 100'000;
    auto is_sound_at_once = [&] {
      if (std::count(pass.rounded.moved.begin(), pass.rounded.moved.end(), 1) > many_points || may_be_unsound || pass.pieces > 1 || opens || is_tangled(pass.rounded)) return false;
      try {
        return is_assembled(Assembly::unproven, 0);
      } catch (const Contradiction&) {
        return false;
      }
    };
    // Mostly rounding has broken nothing: then one look at the polygons proves both it and the joining of triangles.
    if (!is_sound_at_once()) {
      result.report = before;
      const int rounds = may_be_unsound ? 0 : repair_rounding(pass, {extent, tolerance, false, level, patience, std::max(passes, 1)}, stage, control);
      if (rounds > max_rounds) throw Contradiction("rounding does not come to rest");
      if (may_be_unsound)
        result.report.tell(rounding_not_settled, 1, names.front()->name);
      else if (rounds > 0)
        result.report.tell(rounds_to_settle, static_cast<std::size_t>(rounds), names.front()->name);
      before = result.report;
      // Joining cut triangles to polygons may be what spoils shells of a few units in the last place.
      if (!is_assembled(may_be_unsound ? Assembly::anyhow : Assembly::polygons, rounds) && !is_assembled(Assembly::triangles, rounds))
        throw Contradiction("the result is not sound");
    }
    result.open_on_purpose = opens;
    result.report.moved = pass.moved;
    if (pass.rounded.triangles.empty()) result.report.empty_reason = why_empty(operands);
    carry_slots(names, result);
    // Not so where parts were only gathered, where pieces lie wall to wall, or where rounding was left unsettled.
    result.free_of_crossings = !opens && expression.gathered().empty() && result.pieces < 2 && !may_be_unsound;
  } else {
    // Nothing to compute with: the first part goes through as it is.
    result.mesh = *names.front()->mesh;
    result.mesh.origins.clear();
    place(result.mesh, names.front()->placement);
    result.piece.assign(result.mesh.face_count(), 0);
    for (Index f = 0; f < result.mesh.face_count(); ++f) result.sources.add(0, f);
  }
  append_gathered(expression, result);
  result.open_on_purpose = result.open_on_purpose || expression.trims();
  result.report.seconds = std::chrono::duration<double>(StageClock::Clock::now() - begin).count();
  return result;
}

/// The bounds of all parts in the common space.
Box3 bounds_of(const std::vector<Operand>& operands) {
  Box3 all;
  for (const Operand& operand : operands)
    for_each_part(operand, [&](const Operand& part) {
      for (Index v : part.mesh->corners) all.add(part.placement * part.mesh->positions[v]);
    });
  return all;
}
/// The largest coordinate of all parts there.
double extent_of(const std::vector<Operand>& operands) {
  const Box3 box = bounds_of(operands);
  return box.empty() ? 0 : std::max(box.lo.cwiseAbs().maxCoeff(), box.hi.cwiseAbs().maxCoeff());
}

/// The step of a grid of 2^bits steps from zero to the largest coordinate, about.
double grid_step(const std::vector<Operand>& operands, int bits) { return std::ldexp(1.0, std::ilogb(std::max(extent_of(operands), 1e-300)) + 1 - bits); }

/// Parts that are not quite where they were.
struct MovedParts {
  std::vector<Operand> operands;
  std::size_t count = 0;  ///< of parts that moved
  double farthest = 0;    ///< any corner went
};

/// All parts with their corners on that grid: what was at one place but for rounding is there exactly.
MovedParts on_grid(std::vector<Operand> operands, int bits) {
  const double step = grid_step(operands, bits);
  MovedParts moved;
  auto put = [&](Operand& operand) {
    auto mesh = std::make_shared<Mesh>(*operand.mesh);
    place(*mesh, operand.placement);
    for (Vec3& p : mesh->positions) {
      const Vec3 on = step * (p / step).array().round().matrix();
      moved.farthest = std::max(moved.farthest, (on - p).norm());
      p = on;
    }
    ++moved.count;
    operand.mesh = std::move(mesh);
    operand.placement = Affine::Identity();
    operand.free_of_crossings = false;
  };
  for (Operand& operand : operands) {
    if (&operand != &operands.front() && operand.operation == Operation::gather) continue;  // goes through as it is
    for_each_part(operand, put);
  }
  moved.operands = std::move(operands);
  return moved;
}

/// All parts but the first, those of trays too, each moved another way by some 1e-11 of the largest coordinate.
MovedParts nudged(std::vector<Operand> operands, int k) {
  const double extent = extent_of(operands);
  std::uint32_t random = 97;
  auto part = [&] {
    random = random * 1664525u + 1013904223u;
    return (random >> 8) / 16777216.0 - 0.5;
  };
  const double step = std::ldexp(extent, k - 36);
  MovedParts moved;
  bool first = true;
  for (Operand& operand : operands) {
    if (!first && operand.operation == Operation::gather) continue;  // goes through as it is
    for_each_part(operand, [&](Operand& member) {
      if (std::exchange(first, false)) return;
      const Vec3 by = step * Vec3(part(), part(), part());
      member.placement.pretranslate(by);
      moved.farthest = std::max(moved.farthest, by.norm());
      ++moved.count;
    });
  }
  moved.operands = std::move(operands);
  return moved;
}

}  // namespace

CombineCache::CombineCache() : state_(std::make_unique<State>()) {}
CombineCache::~CombineCache() = default;
CombineCache::CombineCache(CombineCache&&) noexcept = default;
CombineCache& CombineCache::operator=(CombineCache&&) noexcept = default;

std::size_t CombineCache::bytes() const {
  std::size_t sum = 0;
  const std::lock_guard lock(state_->mutex);
  for (const State::Entry& entry : state_->entries)
    sum += sizeof(Vec3) * entry.part->points.size() + (sizeof(Triangle) + 7 * sizeof(Index)) * entry.part->triangles.size() + entry.part->inner.size();
  return sum;
}

const char* key_of(Operation operation) {
  for (const Named& n : operations)
    if (n.operation == operation) return n.key;
  return "";
}

Result<Operation> operation_named(const std::string& key) {
  std::string all;
  for (const Named& n : operations) {
    if (key == n.key) return n.operation;
    all += fmt::format("{}{}", all.empty() ? "" : n.operation == Operation::gather ? " or " : ", ", n.key);
  }
  return Issue{fmt::format("there is no operation \"{}\"", key), "", {}, "use " + all};
}

bool makes_pieces(Operation operation) {
  return operation == Operation::split || operation == Operation::partition || operation == Operation::inlay;
}

Mesh BooleanResult::piece_mesh(Index which) const {
  std::vector<Index> group(mesh.face_count(), no_index);
  for (std::size_t f = 0; f < group.size(); ++f)
    if (piece[f] == which) group[f] = 0;
  return std::move(take_apart(mesh, group, 1).front().mesh);
}

namespace {

/// A way to combine, each farther from what was asked for than the one before (docs/decisions/safe-rounding.md).
struct Attempt {
  const char* name;  ///< in the report; "" where it is no fallback
  int passes;    ///< of the contact that was asked for; 0: without it
  int nudge;     ///< the tools moved by far less than anybody can see, but by far more than rounding; no_nudge: not
  int level;     ///< of snap-rounding repair
  int grid = 0;  ///< bits of the grid that all corners are put on; 0: none
};
constexpr int no_nudge = -1;
constexpr int finest_grid = 33;  // moves corners by no more than a nudge does
constexpr Attempt attempts[] = {
    {"", 1, no_nudge, 0},
    {"contact in several passes", 6, no_nudge, 0},
    {"without contact", 0, no_nudge, 0},
    {"repair by small steps", 0, no_nudge, 1},
    {"grid of 27 bits, with contact", 1, no_nudge, 0, 27},
    {"grid of 27 bits", 0, no_nudge, 0, 27},
    {"grid of 26 bits", 0, no_nudge, 0, 26},
    {"grid of 24 bits", 0, no_nudge, 0, 24},
    {"grid of 22 bits", 0, no_nudge, 0, 22},
    {"grid of 33 bits", 0, no_nudge, 0, finest_grid},
    {"tools moved by rounding", 0, 0, 0},
    {"tools moved by rounding", 0, 1, 1},
    {"tools moved by rounding", 0, 2, 0},
    {"tools moved by rounding", 0, 3, 1},
    {"repair by larger steps", 0, no_nudge, 2},
    {"repair by the largest steps", 0, no_nudge, 3},
    {"rounding left unsettled", 0, no_nudge, max_repair_level + 1}};

/// What ends well mostly has fewer than 20 pairs for each triangle that rounding has broken something at, seldom more than 40; what has a hundred
/// takes minutes, mostly to come to nothing. So all ways are tried without much patience first.
constexpr std::size_t patiences[] = {RepairSettings::least_patience, 45, RepairSettings::endless};

Result<BooleanResult> carry_out(const Attempt& attempt, std::size_t patience, const std::vector<Operand>& operands, const Control& control,
                                const CombineSettings& settings) {
  const MovedParts moved = attempt.grid > 0           ? on_grid(operands, attempt.grid)
                           : attempt.nudge != no_nudge ? nudged(operands, attempt.nudge)
                                                       : MovedParts();
  if (attempt.nudge != no_nudge && moved.count == 0) throw Contradiction("there is no tool to be moved");
  const std::vector<Operand>& parts = moved.operands.empty() ? operands : moved.operands;
  const auto with = [&](bool every_triangle) {
    Result<BooleanResult> result = compute(parts, control, settings, attempt.passes, every_triangle, attempt.level, patience);
    if (!result) return result;
    OperationReport& report = result->report;
    report.moved += moved.farthest;
    if (*attempt.name != '\0') report.fallbacks.push_back(attempt.name);
    if (attempt.grid > 0) report.tell(put_on_grid, 1, fmt::format("{:.2g}", grid_step(operands, attempt.grid)));
    if (attempt.nudge != no_nudge) report.tell(tools_nudged, moved.count, operands.front().name);
    return result;
  };
  if (!settings.every_triangle) try {
      return with(false);
    } catch (const ReachesUntouched&) {
      // Then with every triangle.
    }
  return with(true);
}

}  // namespace

namespace {

/// Why a part may be to blame where a combination came to nothing: it is open, so that the engine had to guess what it encloses.
std::optional<Issue> open_edges_of(const Operand& operand) {
  for (const Operand& member : operand.tray)
    if (auto open = open_edges_of(member)) return open;
  if (operand.mesh == nullptr) return std::nullopt;
  const EdgeTable edges = build_edges(*operand.mesh);
  std::size_t count = 0;
  std::vector<Vec3> places;
  for (Index e = 0; e < edges.size(); ++e) {
    if (edges.corners_of(e).size() != 1) continue;
    ++count;
    const auto [v, w] = edges.vertices[e];
    if (places.size() < OperationReport::max_places) places.push_back(operand.placement * Vec3(0.5 * (operand.mesh->positions[v] + operand.mesh->positions[w])));
  }
  if (count == 0) return std::nullopt;
  return Issue{fmt::format("is open ({} open edges), and what it encloses cannot be told here", count), operand.name, std::move(places),
               "mend it first, or use it with split or score"};
}

/// The first of all ways that ends without a contradiction.
Result<BooleanResult> combine_somehow(const std::vector<Operand>& operands, const Control& control, const CombineSettings& settings) try {
  std::string why;
  bool diverges = false;
  std::vector<const Attempt*> given_up;
  // @return nothing where it came to a contradiction, or is none for these parts
  const auto tried = [&](const Attempt& attempt, std::size_t patience) -> std::optional<Result<BooleanResult>> {
    const bool first = &attempt == attempts;
    // Without contact the first is as the one that leaves it out.
    if (settings.contact == 0 && !first && attempt.nudge == no_nudge && attempt.level == 0 && attempt.grid == 0) return std::nullopt;
    if (diverges && attempt.passes > 1) return std::nullopt;  // it begins as the first did
    CombineSettings now = settings;
    if (attempt.grid > 0) {
      if (attempt.grid != finest_grid && 4 * grid_step(operands, attempt.grid) > contact_tolerance(settings.contact, bounds_of(operands))) return std::nullopt;
      now.cache = nullptr;
    }
    try {
      Result<BooleanResult> result = carry_out(attempt, patience, operands, control, now);
      if (!result && attempt.grid > 0) return std::nullopt;  // a part may be too thin for the grid
      if (!result) return result;
      if (attempt.passes == 0 && settings.contact != 0) result->report.tell(contact_left_out, 1, operands.front().name);
      return result;
    } catch (const TooLarge&) {
      throw;  // no other way has less to do
    } catch (const Contradiction& contradiction) {
      if (dynamic_cast<const GivenUp*>(&contradiction) != nullptr) given_up.push_back(&attempt);
      diverges = diverges || (first && dynamic_cast<const ContactDiverges*>(&contradiction) != nullptr);
      why = contradiction.what();
      return std::nullopt;
    }
  };
  const Attempt& last = *(std::end(attempts) - 1);
  std::vector<const Attempt*> ways;
  for (const Attempt& attempt : attempts)
    if (&attempt != &last) ways.push_back(&attempt);
  for (const std::size_t patience : patiences) {
    if (settings.impatient && patience == RepairSettings::endless) break;
    for (const Attempt* attempt : ways)
      if (auto result = tried(*attempt, patience)) return std::move(*result);
    ways = std::exchange(given_up, {});
  }
  if (!settings.impatient)
    if (auto result = tried(last, RepairSettings::endless)) return std::move(*result);
  for (const Operand& operand : operands)
    if (const auto open = open_edges_of(operand)) return *open;
  return Issue{fmt::format("the combination contradicts itself ({})", why), operands.back().name, {},
               "move the tool slightly and please report the parts"};
} catch (const TooLarge& what) {
  return Issue{fmt::format("there are too many {} to be worked out", what.what()), operands.back().name, {}, "recast or reduce what crosses itself or others so often"};
}

}  // namespace

Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control, const CombineSettings& settings) {
  const auto begin = StageClock::Clock::now();
  Result<BooleanResult> result = combine_somehow(operands, control, settings);
  if (!result) return result;
  OperationReport& report = result->report;
  const double in_all = std::chrono::duration<double>(StageClock::Clock::now() - begin).count();
  if (!report.fallbacks.empty()) report.stages.push_back({"given_up", in_all - report.seconds});
  report.seconds = in_all;
  return result;
}

}  // namespace anvil
