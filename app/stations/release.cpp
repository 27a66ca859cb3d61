// SPDX-License-Identifier: GPL-3.0-or-later
// Release: parts go out as files.
#include "app/job_files.h"
#include "app/stations/desk.h"

namespace anvil::app {

void add_release_verbs(Desk& desk) {
  Session& session = desk.session;
  QAction* one = desk.book.add(Station::release, QObject::tr("Job"), "send_out", QObject::tr("Export chosen"), "send_out", {key("Ctrl+E")},
                               QObject::tr("Write the chosen parts as one STL, OBJ, PLY, OFF or 3MF file."), [&session, &files = desk.files] {
                                 const std::vector<PartId> parts = files.ask_what_to_export(session.selection());
                                 if (!parts.empty()) files.send_out(parts, QString::fromStdString(session.job().at(parts.front()).name));
                               });
  desk.book.allow(one, [desk] { return desk.any_chosen(); });
  QAction* all = desk.book.add(Station::release, QObject::tr("Job"), "send_out_visible", QObject::tr("Export visible"), "send_all",
                               {key("Ctrl+Shift+E")}, QObject::tr("Write all visible parts as one file."), [&session, &files = desk.files] {
                                 std::vector<PartId> parts;
                                 for (const PartPtr& part : session.job().parts)
                                   if (part->visible && !session.job().is_tool(part->id)) parts.push_back(part->id);
                                 if (parts.empty()) return session.complain({"no part is visible", "", {}, "show one first"});
                                 files.send_out(parts, QString::fromStdString(session.job().title));
                               });
  desk.book.allow(all, [&session] { return !session.job().parts.empty(); });
}

}  // namespace anvil::app
