// SPDX-License-Identifier: GPL-3.0-or-later
// Looking: from where, drawn how, and what dragging does.
#include "app/stations/desk.h"
#include "app/view/view_widget.h"

namespace anvil::app {

void add_view_verbs(Desk& desk) {
  ViewWidget& view = desk.view;
  QString group = QObject::tr("Look from");
  auto add = [&](const char* id, const QString& label, const char* icon, const char* shortcut,
                 const QString& help, std::function<void()> run) {
    const QList<QKeySequence> keys =
        *shortcut == '\0' ? QList<QKeySequence>() : QList<QKeySequence>{key(shortcut)};
    return desk.book.add(Station::anywhere, group, QLatin1String(id), label, QLatin1String(icon), keys, help,
                     std::move(run));
  };
  const std::array directions = {Direction::front, Direction::back,   Direction::left,  Direction::right,
                                 Direction::top,   Direction::bottom, Direction::corner};
  for (std::size_t k = 0; k < directions.size(); ++k) {
    const QString name = QString::fromLatin1(label_of(directions[k]));
    add(("look_" + name.toStdString()).c_str(), name, "", std::to_string(k + 1).c_str(),
        QObject::tr("Look from the %1.").arg(name), [&view, d = directions[k]] { view.look(d); });
  }
  group = QObject::tr("Drawing");
  add("fit_all", QObject::tr("Fit all"), "fit", "F", QObject::tr("Show everything."), [&view] { view.fit_all(); });
  add("fit_selection", QObject::tr("Fit chosen"), "fit", "Shift+F", QObject::tr("Show the chosen parts large."),
      [&view] { view.fit_selection(); });
  desk.book.check(add("four", QObject::tr("Four views"), "four", "X", QObject::tr("Top, front, right and corner at once."),
                  [&view] { view.set_four(!view.four()); }),
              [&view] { return view.four(); });
  desk.book.check(add("parallel", QObject::tr("Parallel lines stay parallel"), "camera", "V",
                  QObject::tr("Parallel projection instead of perspective."),
                  [&view] { view.set_parallel(!view.parallel()); }),
              [&view] { return view.parallel(); });
  struct Style {
    RenderStyle look;
    const char *id, *label, *key;
  };
  for (const Style& s : {Style{RenderStyle::edges, "draw_edges", "Shaded with edges", "Ctrl+F5"},
                         Style{RenderStyle::wires, "draw_wires", "Shaded with wires", "Ctrl+F6"},
                         Style{RenderStyle::see_through, "draw_see_through", "See-through", "Ctrl+F7"},
                         Style{RenderStyle::plain, "draw_plain", "Shaded without edges", "Ctrl+F8"}})
    desk.book.check(add(s.id, QObject::tr(s.label), "", s.key, QObject::tr("Draw the parts this way."),
                    [&view, s] { view.set_render_style(s.look); }),
                [&view, s] { return view.render_style() == s.look; });
  add("next_look", QObject::tr("Next way of drawing"), "", "Y", QObject::tr("Edges, wires, see-through, plain."),
      [&view] { view.set_render_style(static_cast<RenderStyle>((static_cast<int>(view.render_style()) + 1) % 4)); });
  desk.book.check(add("tool_markers", QObject::tr("Markers of tools"), "touching", "F6", QObject::tr("A label beside the part for each of its tools, to choose and work on it."),
                  [&view] { view.set_tool_markers(!view.tool_markers()); }),
              [&view] { return view.tool_markers(); });
  desk.book.check(add("chosen_ghosts", QObject::tr("Only ghosts of chosen tools"), "", "F7", QObject::tr("Of the tools only the chosen ones are drawn, and the one whose marker is pointed at."),
                  [&view] { view.set_chosen_ghosts_only(!view.chosen_ghosts_only()); }),
              [&view] { return view.chosen_ghosts_only(); });
  desk.book.check(add("belonging", QObject::tr("Who belongs to whom"), "", "F8", QObject::tr("Lines to the part that a part rides on; dashed from tools that stay put."),
                  [&view] { view.set_belonging(!view.belonging()); }),
              [&view] { return view.belonging(); });
  QAction* map = add("deviation_map", QObject::tr("Deviation map"), "deviation", "Shift+O", QObject::tr("Colour the part by how far its last step moved the surface."),
                     [&view] { view.set_deviation_map(!view.deviation_map()); });
  desk.book.check(map, [&view] { return view.deviation_map(); });
  desk.book.allow(map, [&session = desk.session, &view] {
    const PartResult result = session.result(session.recipe_owner());
    return view.deviation_map() || (result.evaluated && result.evaluated->comparison() != nullptr);
  });
  RegionLook& regions = desk.session.region_look();
  QAction* numbered = add("region_look", QObject::tr("Regions in colours"), "regions", "Alt+O",
                          QObject::tr("Give each region of the part a colour, and its number; of a part without a regions step those between edges sharper than 30°."),
                          [&regions] { regions.set_on(!regions.on()); });
  desk.book.check(numbered, [&regions] { return regions.on(); });
  desk.book.allow(numbered, [&session = desk.session, &regions] {
    const PartResult result = session.result(session.recipe_owner());
    return regions.on() || (result.evaluated && !result.evaluated->mesh->empty());
  });
  group = QObject::tr("Handles");
  struct Mode {
    HandleMode mode;
    const char *id, *label, *icon, *key;
  };
  for (const Mode& m : {Mode{HandleMode::move, "handles_move", "Move", "move", "M"},
                        Mode{HandleMode::turn, "handles_turn", "Turn", "turn", "T"},
                        Mode{HandleMode::scale, "handles_scale", "Scale", "scale", "Z"}})
    desk.book.check(add(m.id, QObject::tr(m.label), m.icon, m.key, QObject::tr("Show the handles for this."),
                    [&view, m] { view.set_handle_mode(m.mode); }),
                [&view, m] { return view.handle_mode() == m.mode; });
  desk.book.check(add("snap", QObject::tr("Snap"), "snap", "G",
                  QObject::tr("Catch on the grid and on other parts; hold the button for what. Alt while dragging "
                     "turns it over."),
                  [&view] { view.snap().on = !view.snap().on; }),
              [&view] { return view.snap().on; });
  struct To {
    bool SnapSettings::*what;
    const char *id, *label;
  };
  for (const To& t : {To{&SnapSettings::grid, "snap_grid", "Snap to the grid"},
                      To{&SnapSettings::vertices, "snap_vertices", "Snap to vertices"},
                      To{&SnapSettings::edge_middles, "snap_middles", "Snap to edge middles"},
                      To{&SnapSettings::faces, "snap_faces", "Snap to faces"}})
    desk.book.check(add(t.id, QObject::tr(t.label), "", "", QObject::tr("What a dragged part catches on."),
                    [&view, t] { view.snap().*t.what = !(view.snap().*t.what); }),
                [&view, t] { return view.snap().*t.what; });
  struct Scheme {
    MouseScheme scheme;
    const char *id, *label;
  };
  for (const Scheme& s : {Scheme{MouseScheme::three_buttons, "mouse_three", "Mouse with three buttons"},
                          Scheme{MouseScheme::two_buttons, "mouse_two", "Mouse with two buttons"},
                          Scheme{MouseScheme::touchpad, "mouse_touchpad", "Touchpad"}})
    desk.book.check(add(s.id, QObject::tr(s.label), "mouse", "",
                    QObject::tr("Three: right orbits, middle pans. Two: right orbits, with Shift pans. Touchpad: two "
                       "fingers orbit, with Shift pan, with Ctrl zoom."),
                    [&view, s] {
                      view.set_scheme(s.scheme);
                      emit view.hint_changed(view.hint());
                    }),
                [&view, s] { return view.scheme() == s.scheme; });
}

}  // namespace anvil::app
