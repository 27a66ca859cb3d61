// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/mend.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/mesh/sub_mesh.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

/// How bad a mesh is: defects that decide the verdict, and what is counted beside it.
struct Badness {
  std::size_t defects = 0, remarks = 0;
  auto operator<=>(const Badness&) const = default;
};

Badness badness(const SoundnessReport& report) {
  Badness bad;
  for (const FamilyReport& found : report.families) {
    if (found.family->role == FamilyRole::defect) bad.defects += found.count;
    if (found.family->role == FamilyRole::remark) bad.remarks += found.count;
  }
  if (report.polygons == 0) bad.defects = ~std::size_t{0};  // nothing is never better than something
  return bad;
}

class Mending {
 public:
  Mending(const Mesh& mesh, const MendSettings& settings, double tolerance, const Control& control)
      : settings_(settings), control_(control), tolerance_(tolerance), scope_(settings.scope) {
    now_.mesh = mesh;
    for (Index f = 0; f < mesh.face_count(); ++f) now_.source.push_back(f);
    for (Index v = 0; v < mesh.positions.size(); ++v) now_.vertex_source.push_back(v);
  }

  Mended run(bool is_whole = true) {
    look();
    Mended mended;
    mended.before = report_;
    if (is_whole) mend_spots();
    State best{now_, report_, deeds_};
    for (int round = 1; round <= max_mend_rounds; ++round) {
      left_.clear();
      bool helped = take_turns();
      if (!report_.sound && !(badness(report_) < badness(best.report)))
        for (const Mender* mender : settings_.menders)
          if (mender->is_resort && take_turn(*mender, true)) helped = true;
      // What is only noted, as places where it touches itself, may be better while the counts are equal.
      if (!helped || badness(report_) > badness(best.report)) break;
      mended.rounds = round;
      best = {now_, report_, deeds_};
    }
    mended.after = std::move(best.report);
    mended.mesh = std::move(best.edited.mesh);
    mended.source = std::move(best.edited.source);
    mended.vertex_source = std::move(best.edited.vertex_source);
    mended.deeds = std::move(best.deeds);
    std::sort(mended.deeds.begin(), mended.deeds.end(), [](const Deed& a, const Deed& b) { return a.mender->rank < b.mender->rank; });
    if (!mended.after.sound) mended.left = std::move(left_);
    return mended;
  }

 private:
  /// As good as it has been.
  struct State {
    EditedMesh edited;
    SoundnessReport report;
    std::vector<Deed> deeds;
  };

  void look() {
    analysis_.emplace(now_.mesh, tolerance_, control_.stop);
    analysis_->scope = scope_;
    CheckSettings check;
    check.scope = scope_;
    report_ = check_soundness(*analysis_, check);
  }

  static constexpr int max_turns = 60;  ///< in one round

  /// Each mender in its order. Where one helped, those before it are asked again, if there is more or less for them to do
  /// than when they could not help: what comes late, as closing holes does, builds on what they leave.
  /// @return whether any helped
  bool take_turns() {
    bool helped = false;
    std::map<const Mender*, std::size_t> in_vain;  // what there was to answer
    for (int turn = 0; turn < max_turns; ++turn) {
      const auto next = std::find_if(settings_.menders.begin(), settings_.menders.end(), [&](const Mender* mender) {
        const std::size_t count = mender->answered(report_);
        const auto tried = in_vain.find(mender);
        return count > 0 && (tried == in_vain.end() || tried->second != count);
      });
      if (next == settings_.menders.end()) break;
      const std::size_t count = (*next)->answered(report_);
      if (take_turn(**next, false))
        helped = true;
      else
        in_vain[*next] = count;
    }
    return helped;
  }

  /// Lets a mender work, looks again, and puts back what made it worse. @return whether it helped
  bool take_turn(const Mender& mender, bool is_last_resort) {
    check_stop(control_);
    Deed deed;
    deed.mender = &mender;
    MendJob job{now_.mesh, *analysis_, report_, settings_, tolerance_, is_last_resort, control_, MeshEditor(now_.mesh)};
    mender.apply(job, deed);
    for (const std::string& why : deed.left)
      if (std::find(left_.begin(), left_.end(), why) == left_.end()) left_.push_back(why);
    if (!job.replaced && !job.edit.any()) return false;
    EditedMesh made = job.replaced ? std::move(*job.replaced) : job.edit.finish();
    EditedMesh before = std::move(now_);
    std::vector<char> scope_before = scope_;
    SoundnessReport report_before = std::move(report_);
    now_ = std::move(made);
    if (!scope_.empty()) {
      std::vector<char> scope;
      for (Index f : now_.source) scope.push_back(f == no_index ? 1 : scope_[f]);
      scope_ = std::move(scope);
    }
    compose(now_.source, before.source);
    compose(now_.vertex_source, before.vertex_source);
    look();
    const bool is_better = badness(report_) < badness(report_before);
    if (is_better || (!is_last_resort && mender.answered(report_) < mender.answered(report_before))) {
      add_deed(deeds_, std::move(deed));
      return true;
    }
    now_ = std::move(before);
    scope_ = std::move(scope_before);
    look();
    report_ = std::move(report_before);
    return false;
  }

  /// @param sources  of what was there before `of`, of what is there now
  static void compose(std::vector<Index>& sources, const std::vector<Index>& of) {
    if (of.empty()) sources.clear();
    for (Index& k : sources)
      if (k != no_index) k = of[k];
  }

  /// Few flaws in a large mesh are mended with their surroundings alone, and put back: then it is looked at as a whole only
  /// twice. Flaws that ask for the whole stay.
  void mend_spots() {
    constexpr std::size_t worth_it = 20'000, rings = 3, max_turned = 8;
    const Mesh& mesh = now_.mesh;
    // A wall, and what else has a say in what is inside, is seen in the whole only.
    if (mesh.face_count() < worth_it || report_.count(families::inner_walls) > 0) return;
    std::vector<const Mender*> menders;
    std::vector<Index> at;  // faces of flaws
    for (const Mender* mender : settings_.menders) {
      if (!mender->is_local) continue;
      bool small = true;
      if (mender->family == &families::flipped_faces)
        for (const Defect& defect : report_.of(*mender->family).defects) small = small && defect.faces.size() <= max_turned;
      if (!small) continue;
      menders.push_back(mender);
      for (const Family* family : {mender->family, mender->also})
        if (family != nullptr)
          for (const Defect& defect : report_.of(*family).defects) at.insert(at.end(), defect.faces.begin(), defect.faces.end());
    }
    if (at.empty()) return;
    std::vector<Index> group(mesh.face_count(), no_index);
    std::vector<char> scope(mesh.face_count(), 0), near(mesh.positions.size(), 0);
    std::size_t faces = 0;
    for (Index f : at) faces += group[f] != 0, group[f] = 0, scope[f] = 1;
    for (std::size_t ring = 0; ring < rings; ++ring) {
      for (Index f = 0; f < mesh.face_count(); ++f)
        if (group[f] == 0)
          for (Index v : mesh.face(f)) near[v] = 1;
      for (Index f = 0; f < mesh.face_count(); ++f) {
        if (group[f] == 0) continue;
        const auto corners = mesh.face(f);
        if (std::none_of(corners.begin(), corners.end(), [&](Index v) { return near[v] != 0; })) continue;
        group[f] = 0;
        ++faces;
      }
      if (4 * faces > mesh.face_count()) return;
    }
    const SubMesh spots = std::move(take_apart(mesh, group, 1).front());
    MendSettings settings = settings_;
    settings.menders = menders;
    settings.scope.clear();
    for (Index f : spots.faces) settings.scope.push_back(scope_.empty() ? scope[f] : static_cast<char>(scope[f] && scope_[f]));
    Mended mended = Mending(spots.mesh, settings, tolerance_, control_).run(false);
    if (mended.deeds.empty() || mended.vertex_source.empty()) return;
    EditedMesh before = now_;
    const std::vector<char> scope_before = scope_;
    const Badness bad_before = badness(report_);
    put_back(spots, mended);
    look();
    if (badness(report_) < bad_before) {
      for (Deed& deed : mended.deeds) add_deed(deeds_, std::move(deed));
      return;
    }
    // Seen as a whole it is no better: all of it is left to the whole.
    now_ = std::move(before);
    scope_ = scope_before;
    look();
  }

  void put_back(const SubMesh& spots, const Mended& mended) {
    MeshEditor edit(now_.mesh);
    std::vector<Index> number;  // of each vertex of the spots in the whole
    for (Index v = 0; v < mended.mesh.positions.size(); ++v) {
      const Index from = mended.vertex_source[v];
      number.push_back(from == no_index ? edit.add_vertex(mended.mesh.positions[v]) : spots.vertices[from]);
      if (from != no_index && mended.mesh.positions[v] != spots.mesh.positions[from]) edit.move_vertex(number.back(), mended.mesh.positions[v]);
    }
    std::vector<char> is_there(spots.faces.size(), 0);
    for (Index f = 0; f < mended.mesh.face_count(); ++f) {
      std::vector<Index> ring;
      for (Index v : mended.mesh.face(f)) ring.push_back(number[v]);
      const Index from = mended.source[f];
      if (from == no_index || is_there[from]) {
        edit.add_face(std::move(ring), from == no_index ? no_index : spots.faces[from]);
        continue;
      }
      is_there[from] = 1;
      const auto old = now_.mesh.face(spots.faces[from]);
      if (!std::equal(ring.begin(), ring.end(), old.begin(), old.end())) edit.set_ring(spots.faces[from], std::move(ring));
    }
    for (std::size_t k = 0; k < is_there.size(); ++k)
      if (!is_there[k]) edit.remove_face(spots.faces[k]);
    EditedMesh made = edit.finish();
    compose(made.source, now_.source);
    compose(made.vertex_source, now_.vertex_source);
    if (!scope_.empty()) {
      std::vector<char> scope;
      for (Index f : made.source) scope.push_back(f == no_index ? 1 : settings_.scope[f]);
      scope_ = std::move(scope);
    }
    now_ = std::move(made);
  }

  const MendSettings& settings_;
  const Control& control_;
  double tolerance_;
  std::vector<char> scope_;
  EditedMesh now_;
  std::optional<Analysis> analysis_;
  SoundnessReport report_;
  std::vector<Deed> deeds_;
  std::vector<std::string> left_;
};

}  // namespace

std::span<const Mender* const> mender_table() {
  static const auto in_order = [] {
    auto rows = mender_rows;
    std::sort(rows.begin(), rows.end(), [](const Mender* a, const Mender* b) { return a->rank < b->rank; });
    return rows;
  }();
  return in_order;
}

void add_deed(std::vector<Deed>& deeds, Deed deed) {
  const auto it = std::find_if(deeds.begin(), deeds.end(), [&](const Deed& d) { return d.mender == deed.mender; });
  if (it == deeds.end()) {
    deeds.push_back(std::move(deed));
    return;
  }
  it->count += deed.count;
  it->longest = std::max(it->longest, deed.longest);
  it->places.insert(it->places.end(), deed.places.begin(), deed.places.end());
  it->told.insert(it->told.end(), deed.told.begin(), deed.told.end());
}

const Mender* find_mender(std::string_view key) {
  for (const Mender* mender : mender_table())
    if (key == mender->key) return mender;
  return nullptr;
}

double mend_tolerance(const Mesh& mesh, const MendSettings& settings) {
  constexpr double weld_share = 1e-5;
  return settings.tolerance < 0 ? weld_share * bounds(mesh).diagonal() : settings.tolerance;
}

Mended mend(const Mesh& mesh, const MendSettings& settings, const Control& control) {
  return Mending(mesh, settings, mend_tolerance(mesh, settings), control).run();
}

std::string in_words(const Deed& deed) {
  return fmt::format(fmt::runtime(deed.count == 1 ? deed.mender->one : deed.mender->many), deed.count, fmt::format("{:.3g} mm", deed.longest));
}

}  // namespace anvil
