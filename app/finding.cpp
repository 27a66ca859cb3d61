// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/finding.h"

#include <algorithm>

#include "app/session.h"
#include "core/modify/find_again.h"
#include "core/soundness/check.h"

namespace anvil::app {
namespace {

/// The report, and how many of the elements at which it looks were not found.
struct Looked {
  ReportPtr report;
  std::size_t missing = 0;
};

Looked look_at(const Evaluated& part, const Finding::Wanted& wanted, const std::stop_token& stop) {
  CheckSettings settings;
  settings.families = wanted.families;
  if (wanted.tolerance > 0) settings.tolerance = wanted.tolerance;
  Looked looked;
  if (!wanted.only.empty()) {
    settings.scope.assign(part.mesh->face_count(), 0);
    const Topology topology(*part.mesh);
    if (const Result<FoundElements> found = find_again(*part.mesh, topology, wanted.only, {stop})) {
      looked.missing = found->missing.size();
      for (Index f : converted(*part.mesh, topology, found->found, ElementKind::faces).list) settings.scope[f] = 1;
    }
  }
  looked.report = std::make_shared<const SoundnessReport>(check_pieces(*part.mesh, part.piece, part.pieces, stop, settings));
  return looked;
}

}  // namespace

Finding::Finding(Session& session) : QObject(&session), session_(session) {
  connect(&session_, &Session::result_changed, this, &Finding::follow);
  connect(&session_, &Session::selection_changed, this, &Finding::follow);
  connect(&session_, &Session::reading_dropped, this, [this] {
    if (narrowed_ && of_ && !report_) look_for_everything();
  });
}

Finding::Wanted Finding::everything() {
  Wanted all;
  for (const Family* family : family_table())
    if (family->role != FamilyRole::note) all.families.push_back(family);
  return all;
}

void Finding::look(Wanted wanted) {
  part_ = session_.recipe_owner();
  wanted_ = std::move(wanted);
  narrowed_ = part_ != 0;
  of_.reset();
  follow();
}

void Finding::look_for_everything() {
  narrowed_ = false;
  report_.reset();
  of_.reset();
  emit changed();
}

ReportPtr Finding::report(PartId part) const { return is_there(part) ? report_ : session_.result(part).report; }

bool Finding::is_there(PartId part) const {
  const EvaluatedPtr now = session_.result(part).evaluated;
  return narrowed_ && part == part_ && report_ && now && of_ && now->mesh == of_->mesh;
}

bool Finding::lists(const Family& family) const {
  return narrowed_ ? std::find(wanted_.families.begin(), wanted_.families.end(), &family) != wanted_.families.end() : family.role != FamilyRole::note;
}

/// Looks again where the part has another result; another part is looked at for everything.
void Finding::follow() {
  if (!narrowed_) return;
  const PartId owner = session_.recipe_owner();
  if (owner != part_) return look_for_everything();
  const EvaluatedPtr now = session_.result(owner).evaluated;
  if (!now || (of_ && of_->mesh == now->mesh)) return;
  of_ = now;
  report_.reset();
  emit changed();
  const std::uint64_t turn = ++turn_;
  session_.read_beside(tr("Looking closely"), [this, now, wanted = wanted_, turn](const std::stop_token& stop) {
    Looked looked;
    try {
      looked = look_at(*now, wanted, stop);
    } catch (const Stopped&) {
    }
    return std::function<void()>([this, looked, turn] {
      if (turn != turn_ || !narrowed_) return;
      report_ = looked.report;
      if (looked.missing > 0) session_.say(tr("%1 of the elements to look at are not in the part any more").arg(looked.missing));
      emit changed();
    });
  }, [this, turn] {
    if (turn == turn_) look_for_everything();
  });
}

}  // namespace anvil::app
