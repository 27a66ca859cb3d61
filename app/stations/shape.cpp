// SPDX-License-Identifier: GPL-3.0-or-later
// Shape: steps that change the form of one part. One verb for each kind of step that names this station; those that are drawn or picked on the view first
// have a way of their own.
#include "app/main_window.h"
#include "app/remedies.h"
#include "app/stations/desk.h"
#include "core/outline.h"
#include "app/view/work_plane.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

QString label_of(const StepKind& kind) { return QString::fromStdString(kind.label).toLower(); }

/// A step for a part, its numbers as they suit it, its planes through the middle, and made for what is chosen by hand.
Step step_for(Session& session, PartId part, const StepKind& kind) {
  Step step = new_step(kind);
  const PartResult result = session.result(part);
  if (!result.evaluated || !result.evaluated->drawable || result.evaluated->drawable->box.empty()) return step;
  const Box3& box = result.evaluated->drawable->box;
  for (std::size_t k = 0; k < kind.fields.size(); ++k)
    if (kind.fields[k].kind == FieldKind::point) step.fields[k] = box.centre();
  if (kind.suit != nullptr) kind.suit(step, *result.evaluated->mesh);
  Chooser& chooser = session.chooser();
  const bool any_fresh = !result.evaluated->fresh_edges.empty();
  for (std::size_t k = 0; k < kind.fields.size(); ++k) {
    const Field& field = kind.fields[k];
    if (chooser.part() == part && chooser.fits(field)) {
      if (field.kind == FieldKind::edges) step.fields[k] = chooser.text_as(ElementKind::edges);
      if (field.kind == FieldKind::elements) step.fields[k] = chooser.text_as(field.choices[0].key == "edges" ? ElementKind::edges : ElementKind::faces);
    } else if (field.kind == FieldKind::edges && !any_fresh) {
      step.fields[k] = std::string("sharp:30");
    }
  }
  return step;
}

/// Adds it, opens its card and says what to do next.
void take_up(MainWindow& window, Session& session, PartId part, const Step& step, const QString& next) {
  StepId id = 0;
  if (!session.add_step(label_of(*step.kind), part, step, &id)) return;
  session.chooser().stop();
  window.hide_issue();
  session.select({part});
  session.set_active_step(id);
  session.say(next);
}

/// Kinds that repeat the part where they have no tools.
bool repeats_part(const StepKind& kind) { return &kind == &steps::array || &kind == &steps::ring; }

/// Steps with tools: the first chosen part is worked on, the others are its tools.
void add_with_tools(MainWindow& window, Session& session, const StepKind& kind) {
  const std::vector<PartId> chosen = session.selection();
  if (chosen.size() < 2) return session.complain({"needs a part and at least one tool", kind.label, {}, "choose the part first, then Ctrl+click what is to be repeated"});
  StepId id = 0;
  Step step = step_for(session, chosen.front(), kind);
  // Rows of tools go by the size of these.
  if (const PartResult tool = session.result(chosen[1]); repeats_part(kind) && kind.suit != nullptr && tool.evaluated && !tool.evaluated->mesh->empty())
    kind.suit(step, *tool.evaluated->mesh);
  Result<Job> job = edit::add_step(session.job(), chosen.front(), step, &id, session.new_step_place());
  if (job) job = edit::add_tools(*job, id, {chosen.begin() + 1, chosen.end()}, Operation::difference);
  if (!session.commit(label_of(kind), job)) return;
  session.chooser().stop();
  window.hide_issue();
  session.select({chosen.front()});
  session.set_active_step(id);
  session.say(repeats_part(kind) ? QObject::tr("Drag a bar in the view · its numbers stand in the card on the left · Escape: done")
                                 : QObject::tr("Its numbers stand in the card on the left"));
}

}  // namespace

void add_step(MainWindow& window, Session& session, const StepKind& kind) {
  if (kind.tools == ToolRule::needed || (works_alone(kind.tools) && session.selection().size() > 1)) return add_with_tools(window, session, kind);
  // Of a chosen tool a pattern is meant, not of the part that it is used on: it stays one tool, like a tray.
  const bool repeats = repeats_part(kind);
  if (repeats && session.selection().size() == 1 && session.job().is_tool(session.chosen())) session.open_own_recipe(true);
  const PartId owner = session.recipe_owner();
  const Step step = step_for(session, owner, kind);
  for (std::size_t k = 0; k < kind.fields.size(); ++k)
    if (const Field& field = kind.fields[k]; field.kind == FieldKind::elements && field.min > 0 && step.fields[k] == field.initial) {
      session.chooser().start(field.choices[0].key == "edges" ? ElementKind::edges : ElementKind::faces);
      return session.complain({"needs " + field.choices[0].key + " to work on", kind.label, {}, "choose them in the view now, then press " + kind.label + " again"}, owner);
    }
  // What grows beyond the picture is brought into it.
  if (repeats) session.when_ready({owner}, [&window](const std::vector<OutgoingPart>&) { window.view().fit_selection(); });
  take_up(window, session, owner, step,
          kind.station == "recast" ? QObject::tr("Its numbers stand in the card on the left · Ctrl+Z: back")
                                   : QObject::tr("Drag a bar or an arrow in the view · its numbers stand in the card on the left · Escape: done"));
}

namespace {

/// Lettering stands on a face that is picked.
void add_lettering(Desk& desk, const StepKind& kind) {
  emit desk.session.pick_requested(1, QObject::tr("Click the face that it is written on"), [&window = desk.window, &session = desk.session, &kind](const std::vector<PickedPoint>& picked) {
    const PartId part = picked[0].part;
    session.select({part});
    Step step = step_for(session, part, kind);
    const Affine to_part = session.job().world_of(part).inverse();
    set_field(step, "point", Vec3(to_part * picked[0].point));
    set_field(step, "normal", Vec3((session.job().world_of(part).linear().transpose() * picked[0].normal).normalized()));
    take_up(window, session, part, step, QObject::tr("Type the text in the card on the left · drag the dot to move it"));
  });
}

/// A path is clicked over the faces of one part, and cuts along the line of sight.
void add_path(Desk& desk, const StepKind& kind) {
  const auto answer = [&desk = desk.window, &session = desk.session, &view = desk.view, &kind](const std::vector<PickedPoint>& picked) {
    const PartId part = picked[0].part;
    if (session.job().find(part) == nullptr) return session.say(QObject::tr("The part that was clicked is gone"));
    session.select({part});
    const Affine to_part = session.job().world_of(part).inverse();
    Path path;
    for (const PickedPoint& p : picked)
      if (p.part == part) path.points.push_back(to_part * p.point);
    path.closed = path.points.size() > 3 && path.points.front() == path.points.back();
    if (path.closed) path.points.pop_back();
    Step step = step_for(session, part, kind);
    set_field(step, "path", to_text(path));
    set_field(step, "direction", Vec3((to_part.linear() * view.camera().forward()).normalized()));
    take_up(desk, session, part, step, QObject::tr("What becomes of its sides stands in the card on the left"));
  };
  emit desk.session.pick_requested(Pointer::any_number, QObject::tr("Click the path over the faces; a click on its first point closes it"), answer);
}

/// All parts that a drawn cut is for: the chosen ones, or without any all that are seen and not tools.
std::vector<PartId> cut_by_drawing(const Session& session) {
  std::vector<PartId> parts;
  if (!session.selection().empty()) return {session.recipe_owner()};
  for (const PartPtr& part : session.job().parts)
    if (part->visible && !part->locked && !session.job().is_tool(part->id)) parts.push_back(part->id);
  return parts;
}

/// The stencil as a step in the frame of a part; a line is a plane.
Step drawn_step(const Session& session, PartId part, const DrawnOutline& drawn) {
  const Affine to_part = session.job().world_of(part).inverse();
  const PlaneFrame& frame = drawn.frame;
  const auto point = [&](const Vec3& p) { return Vec3(to_part * p); };
  if (drawn.kind == DrawKind::line) {
    const OutlineLoop& loop = drawn.outline[0];
    const Vec3 a = frame.at(loop[0].at), b = frame.at(loop[1].at), side = frame.at(loop[2].at);
    const Vec3 sight = drawn.eye > 0 ? Vec3(frame.origin + drawn.eye * frame.normal - a) : frame.normal;
    Vec3 normal = (b - a).cross(sight).normalized();
    if (normal.dot(side - a) < 0) normal = -normal;
    Step step = new_step(steps::plane_cut);
    set_field(step, "point", point(a));
    set_field(step, "normal", Vec3((session.job().world_of(part).linear().transpose() * normal).normalized()));
    set_field(step, "keep", std::string("below"));
    return step;
  }
  Step step = new_step(steps::stencil);
  if (const PartResult result = session.result(part); result.evaluated && result.evaluated->drawable && !result.evaluated->drawable->box.empty())
    steps::stencil.suit(step, *result.evaluated->mesh);
  // Lengths in the part are those of the job where it is not scaled; else the plane's directions say how long they are there.
  const double scale = std::cbrt(std::abs(to_part.linear().determinant()));
  Outline outline = drawn.outline;
  for (OutlineLoop& loop : outline)
    for (OutlinePoint& p : loop) p.at *= scale, p.rise *= scale;
  set_field(step, "outline", to_text(outline));
  set_field(step, "point", point(frame.origin));
  set_field(step, "normal", Vec3(to_part.linear() * frame.normal));
  set_field(step, "right", Vec3(to_part.linear() * frame.u));
  set_field(step, "eye", drawn.eye * scale);
  return step;
}

void draw_stencil(Desk& desk, DrawKind kind) {
  desk.view.draw_outline(kind, DrawPlane::sight, [&window = desk.window, &session = desk.session](const DrawnOutline& drawn) {
    const std::vector<PartId> parts = cut_by_drawing(session);
    if (parts.empty()) return session.complain({"there is no part that it could cut", "", {}, "make or bring in one"});
    Result<Job> job = session.job();
    StepId id = 0;
    for (const PartId part : parts)
      if (job) job = edit::add_step(*job, part, drawn_step(session, part, drawn), &id, part == session.recipe_owner() ? session.new_step_place() : edit::StepPlace{});
    if (!session.commit(QObject::tr("stencil"), job)) return;
    if (session.up_to() != 0) session.look_up_to(id);
    window.hide_issue();
    session.select({parts.back()});
    session.set_active_step(id);
    session.say(drawn.kind == DrawKind::line ? QObject::tr("Drag the plane's arrow or its ring · Escape: done")
                                             : QObject::tr("Drag the points of the outline · what it does stands in the card on the left · Escape: done"));
  });
}

void add_stencil(Desk& desk, DrawKind kind, const char* id, const char* label, const char* shortcut, const char* help) {
  desk.book.add(Station::shape, QObject::tr("Shape"), QLatin1String(id), QObject::tr(label), QStringLiteral("stencil"), {key(shortcut)}, QObject::tr(help),
                [desk, kind]() mutable { draw_stencil(desk, kind); });
}

}  // namespace

void add_shape_verbs(Desk& desk) {
  Session& session = desk.session;
  add_stencil(desk, DrawKind::rectangle, "stencil_rectangle", "Stencil", "S", "Draw a rectangle on the view, and cut along the line of sight.");
  for (const StepKind* kind : step_table()) {
    if (kind->station != "shape" || kind == &steps::stencil) continue;
    QAction* action = desk.book.add(Station::shape, QObject::tr("Shape"), QString::fromStdString(kind->key), QString::fromStdString(kind->label),
                                    QString::fromStdString(kind->icon), {key(kind->shortcut.c_str())}, QString::fromStdString(kind->help), [desk, kind]() mutable {
                                      if (kind == &steps::lettering) return add_lettering(desk, *kind);
                                      if (kind == &steps::path_cut) return add_path(desk, *kind);
                                      add_step(desk.window, desk.session, *kind);
                                    });
    desk.book.allow(action, [desk, kind] { return kind == &steps::lettering || kind == &steps::path_cut || desk.any_chosen(); });
  }
  // Its other shapes stand behind what is used more.
  add_stencil(desk, DrawKind::circle, "stencil_circle", "Stencil, circle", "Shift+S", "Draw a circle on the view, and cut along the line of sight.");
  add_stencil(desk, DrawKind::polygon, "stencil_polygon", "Stencil, polygon", "D", "Click a polygon on the view, and cut along the line of sight.");
  add_stencil(desk, DrawKind::free, "stencil_free", "Stencil, free", "Shift+D", "Draw around what is meant, and cut along the line of sight.");
  add_stencil(desk, DrawKind::line, "stencil_line", "Stencil, line", "I", "Draw a line across the view; what lies on one side of it goes.");
  QAction* remove = desk.book.add(Station::shape, QObject::tr("Shape"), "delete_step", QObject::tr("Delete step"), "delete", {key("Shift+Del")},
                                  QObject::tr("Take the step whose card is open out of the recipe."), [&session] {
                                    session.commit(QObject::tr("delete step"), edit::remove_step(session.job(), session.active_step()));
                                  });
  desk.book.allow(remove, [&session] { return session.active_step() != 0; });
}

}  // namespace anvil::app
