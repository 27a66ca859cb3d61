// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/remedies.h"

#include <algorithm>

#include "job/edit.h"

namespace anvil::app {
namespace {

QString tr(const char* text) { return QObject::tr(text); }
QString name_of(const Session& session, PartId part) { return QString::fromStdString(session.job().at(part).name); }

/// Can its result be mended?
bool is_unsound(const Session& session, PartId part) {
  const PartResult r = session.result(part);
  return r.report && !r.report->sound && r.evaluated && !r.evaluated->mesh->empty() && r.trouble() == nullptr;
}

/// A mend step before another step of its recipe.
Result<Job> mended_before(const Job& job, PartId part, StepId step) {
  StepId mend = 0;
  const auto& recipe = job.at(part).recipe;
  const auto at = std::find_if(recipe.begin(), recipe.end(), [&](const Step& s) { return s.id == step; });
  Result<Job> added = edit::add_step(job, part, new_step(steps::mend), &mend);
  return added ? edit::move_step(*added, mend, static_cast<std::size_t>(at - recipe.begin())) : added;
}

/// The step that tools become part of when none is named, as edit::combine() finds it.
StepId combining_step(Job& job, PartId part, const edit::StepPlace& place) {
  const auto& recipe = job.at(part).recipe;
  const Step* at = nullptr;
  for (const Step& step : recipe)
    if (place.behind == 0 || step.id == place.behind) at = &step;
  if (at != nullptr && at->kind == &steps::combine) return at->id;
  StepId made = 0;
  if (const Result<Job> added = edit::add_step(job, part, new_step(steps::combine), &made, place)) job = *added;
  return made;
}

/// Puts the rows of tools, which stand at the end of where they were added, before the one that is asked for.
Result<Job> put_rows(const Result<Job>& job, PartId part, const std::vector<PartId>& tools, const edit::RowPlace& to) {
  if (!job || to.at == edit::RowPlace::last) return job;
  std::vector<UseId> rows;
  for (const Job::Use& use : job->uses_by(part))
    if (use.step == to.step && std::find(tools.begin(), tools.end(), use.tool) != tools.end()) rows.push_back(use.id);
  return edit::move_uses(*job, rows, to);
}

void use_snapshots(Session& session, const QString& label, PartId part, const std::vector<PartId>& tools, Operation operation, edit::RowPlace to) {
  Result<Job> job = session.job();
  if (to.step == 0) to.step = combining_step(*job, part, session.new_step_place());
  for (PartId tool : tools) {
    if (!job) break;
    if (!session.job().depends_on(tool, part)) {
      job = edit::add_tools(*job, to.step, {tool}, operation, to.tray);
      continue;
    }
    const auto kept = session.snapshot_of(tool);
    if (kept == nullptr) return session.complain({"has no result that could be kept", session.job().at(tool).name, {}, "wait for it, or look at its recipe"}, tool);
    job = edit::add_kept_tool(*job, to.step, tool, kept, operation, to.tray);
  }
  if (session.commit(label, put_rows(job, part, tools, to))) session.say(tr("The snapshot does not follow; its row says so"));
}

}  // namespace

std::vector<Remedy> remedies_for(Session& session, PartId part, StepId failed) {
  std::vector<Remedy> remedies;
  const PartResult r = session.result(part);
  const Issue* trouble = r.trouble();
  if (trouble == nullptr) return remedies;
  const PartId blamed = part_of_token(r.cast, trouble->subject);
  if (blamed == part) {
    remedies.push_back({tr("Mend it before this step"), [&session, part, failed] { session.commit(tr("mend before a step"), mended_before(session.job(), part, failed)); }});
  } else if (blamed != 0 && session.job().find(blamed) != nullptr) {
    if (is_unsound(session, blamed)) remedies.push_back({tr("Mend %1").arg(name_of(session, blamed)), [&session, blamed] { session.mend_all({blamed}); }});
    for (const Job::Use& use : session.job().uses_by(part))
      if (use.tool == blamed && use.step == failed)
        remedies.push_back({tr("Leave %1 out").arg(name_of(session, blamed)),
                            [&session, use] { session.commit(tr("switch the tool off"), edit::change_use(session.job(), use.id, [](ToolUse& u) { u.on = false; })); }});
    remedies.push_back({tr("Show %1").arg(name_of(session, blamed)), [&session, blamed] { session.select({blamed}); }});
  }
  remedies.push_back({tr("Switch the step off"), [&session, failed] { session.commit(tr("switch the step off"), edit::change_step(session.job(), failed, [](Step& s) { s.on = false; })); }});
  return remedies;
}

bool make_tools(Session& session, const QString& label, PartId part, const std::vector<PartId>& tools, Operation operation, const edit::RowPlace& to) {
  const Result<Job> job = to.step == 0 ? edit::combine(session.job(), part, tools, operation, session.new_step_place())
                                       : edit::add_tools(session.job(), to.step, tools, operation, to.tray);
  const bool is_loop = !job && std::any_of(tools.begin(), tools.end(), [&](PartId tool) { return tool != part && session.job().depends_on(tool, part); });
  if (!is_loop) return session.commit(label, put_rows(job, part, tools, to));
  session.complain(job.issue(), part, {{tr("Use a snapshot"), [&session, label, part, tools, operation, to] { use_snapshots(session, label, part, tools, operation, to); }}});
  return false;
}

}  // namespace anvil::app
