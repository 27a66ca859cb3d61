// SPDX-License-Identifier: GPL-3.0-or-later
// Mend: the places of the rail, one after the other, and the view without anything that hides the shape.
#include "app/rail_panel.h"
#include "app/stations/desk.h"
#include "app/view/view_widget.h"
#include "core/modify/measure.h"

namespace anvil::app {

void add_mend_verbs(Desk& desk) {
  Session& session = desk.session;
  ViewWidget& view = desk.view;
  auto has_report = [&session] { return session.result(session.recipe_owner()).report != nullptr; };
  auto can_mend = [&session] {
    const PartResult result = session.result(session.recipe_owner());
    return result.evaluated != nullptr && !result.evaluated->mesh->empty() && result.trouble() == nullptr;
  };
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend"), "mend_plan", QObject::tr("Mend plan"), "find", {key("Shift+R")},
                                QObject::tr("Find only: tell what mending would do, and change nothing."),
                                [&session] { session.make_mend_plan(session.recipe_owner()); }),
                  can_mend);
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend"), "mend_ticked", QObject::tr("Mend ticked"), "mend", {key("Shift+K")},
                                QObject::tr("Do the repairs that are ticked in the mend plan."), [&rail = desk.rail] { rail.plan().mend_ticked(); }),
                  [&rail = desk.rail] { return rail.plan().has_plan(); });
  QObject::connect(&session, &Session::mend_plan_made, &desk.book, [&book = desk.book] { book.refresh(); });
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend"), "mend", QObject::tr("Mend all"), "mend", {key("Shift+E")},
                                QObject::tr("Repair every flaw of the part, as a step of its recipe."),
                                [&session] { session.mend_all({session.recipe_owner()}); }),
                  can_mend);
  QAction* look_for = desk.book.add(Station::mend, QObject::tr("Mend"), "look_for", QObject::tr("Look for"), "look_for", {key("Ctrl+Shift+R")},
                                    QObject::tr("Choose what the rail lists: families, within which distance, only at the chosen faces."),
                                    [&rail = desk.rail] { rail.set_finding(!rail.finding()); });
  desk.book.check(look_for, [&rail = desk.rail] { return rail.finding(); });
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend"), "next_place", QObject::tr("Next place"), "next", {key("N")},
                                QObject::tr("Fly to the next place that the check found."), [&rail = desk.rail] { rail.show_next(1); }),
                  has_report);
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend"), "previous_place", QObject::tr("Previous place"), "previous",
                                {key("Shift+N")}, QObject::tr("Fly to the place before."), [&rail = desk.rail] { rail.show_next(-1); }),
                  has_report);
  desk.book.allow(desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "measure", QObject::tr("Measure"), "measure", {key("Ctrl+M")},
                                QObject::tr("Distance, and angle between the faces, of two places picked on parts; both catch on vertices and edge middles."),
                                [&session, &view] {
                                  emit session.pick_requested(2, QObject::tr("Measure between two places"), [&session, &view](const std::vector<PickedPoint>& picked) {
                                    const Vec3 across = picked[1].point - picked[0].point;
                                    const double angle = angle_between(picked[0].normal, picked[1].normal);
                                    view.show_measure({picked[0].point, picked[1].point});
                                    session.say(QObject::tr("Distance %1 mm · right %2, back %3, up %4 · faces at %5°")
                                                    .arg(across.norm(), 0, 'f', 3).arg(across.x(), 0, 'f', 3).arg(across.y(), 0, 'f', 3).arg(across.z(), 0, 'f', 3).arg(angle, 0, 'f', 2));
                                  });
                                }),
                  [&session] { return !session.job().parts.empty(); });
  QAction* smooth = desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "smooth_look", QObject::tr("Smooth look"), "smooth_look", {key("Shift+V")},
                                  QObject::tr("Show the part as it would look subdivided once, then twice, then as it is: doubled faces and edges without length come to light."),
                                  [&session] {
                                    session.set_smooth_levels((session.smooth_levels() + 1) % 3);
                                    session.say(session.smooth_levels() == 0   ? QObject::tr("The part as it is")
                                                : session.smooth_levels() == 1 ? QObject::tr("Smooth look, subdivided once · Shift+V: twice")
                                                                               : QObject::tr("Smooth look, subdivided twice · Shift+V: as it is"));
                                  });
  desk.book.check(smooth, [&session] { return session.smooth_levels() > 0; });
  desk.book.allow(smooth, [&session] { return session.smooth_levels() > 0 || session.result(session.recipe_owner()).evaluated != nullptr; });
  desk.book.check(desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "bare", QObject::tr("Just the shape"), "bare", {key("J")},
                                QObject::tr("Put away grid, ghosts, handles and marks."), [&view] { view.set_bare(!view.bare()); }),
                  [&view] { return view.bare(); });
  desk.book.check(desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "marks", QObject::tr("Marks"), "marks", {key("K")},
                                QObject::tr("Mark the places of all defects in the view."), [&view] { view.set_marks(!view.marks()); }),
                  [&view] { return view.marks(); });
  desk.book.check(desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "marks_through", QObject::tr("Marks behind too"), "through", {key("Ctrl+Shift+K")},
                                QObject::tr("Mark places that the part hides as well, fainter."), [&view] { view.set_marks_through(!view.marks_through()); }),
                  [&view] { return view.marks_through(); });
  QAction* isolate = desk.book.add(Station::mend, QObject::tr("Mend, drawing"), "isolate", QObject::tr("Only around the place"), "isolate", {key("Ctrl+Shift+N")},
                                   QObject::tr("Draw only what lies around the place that is shown."), [&view] { view.set_isolated(!view.isolated()); });
  desk.book.check(isolate, [&view] { return view.isolated(); });
}

}  // namespace anvil::app
