// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rail_panel.h"

#include <QScrollArea>
#include <cmath>

#include "app/theme.h"
#include "app/view/markers.h"
#include "core/modify/measure.h"

namespace anvil::app {
namespace {

constexpr std::size_t max_listed = 60;  // places listed below one family
constexpr double petg_grams_per_cm3 = 1.27;

/// Family row: a button over its whole width with labels inside.
class RowButton : public QToolButton {
 public:
  explicit RowButton(QWidget* parent = nullptr) : QToolButton(parent) {
    setObjectName(QStringLiteral("row"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setFixedHeight(26);
    setCheckable(true);
  }
};

QString length(double mm) { return QString::number(mm, 'g', 5); }

/// Three or four significant digits, never in powers of ten where people would not write them so.
QString significant(double value) {
  const double size = std::abs(value);
  if (size != 0 && (size < 1e-3 || size >= 1e9)) return QString::number(value, 'g', 3);
  const int digits = size == 0 ? 0 : std::max(0, 2 - static_cast<int>(std::floor(std::log10(size))));
  return QString::number(value, 'f', digits);
}

/// In the unit that reads best.
QString volume_text(double mm3) {
  return std::abs(mm3) < 1000 ? QStringLiteral("%1 mm³").arg(significant(mm3)) : QStringLiteral("%1 cm³").arg(significant(mm3 / 1000));
}
QString area_text(double mm2) {
  return std::abs(mm2) < 100 ? QStringLiteral("%1 mm²").arg(significant(mm2)) : QStringLiteral("%1 cm²").arg(significant(mm2 / 100));
}
QString mass_text(double grams) {
  return std::abs(grams) < 0.1 ? QStringLiteral("%1 mg").arg(significant(grams * 1000)) : QStringLiteral("%1 g").arg(significant(grams));
}

/// By the step that left nothing.
QString empty_remedy(const Job& job, const PartResult& result) {
  const Index last = result.evaluated->steps.back().step;
  const Step* step = job.find_step(result.cast.step(last)).step;
  return step != nullptr && step->kind->tools == ToolRule::needed ? RailPanel::tr("move the tool or change its operation") : RailPanel::tr("choose other values in its card");
}

}  // namespace

RailPanel::RailPanel(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* content = new QWidget;
  auto* layout = new QVBoxLayout(content);
  layout->setContentsMargins(16, 12, 14, 12);
  layout->setSpacing(2);
  layout->addWidget(section_label(tr("CAN I TRUST IT?")));
  auto* head = new QHBoxLayout;
  head->setContentsMargins(0, 8, 0, 4);
  glyph_ = new QLabel;
  glyph_->setFixedSize(28, 28);
  verdict_ = new QLabel;
  verdict_->setObjectName(QStringLiteral("verdict"));
  verdict_->setAccessibleName(tr("Verdict"));
  verdict_->setWordWrap(true);
  head->addWidget(glyph_, 0, Qt::AlignTop);
  head->addWidget(verdict_, 1);
  layout->addLayout(head);
  reason_ = new QLabel;
  reason_->setObjectName(QStringLiteral("faint"));
  reason_->setWordWrap(true);
  reason_->setContentsMargins(0, 0, 0, 6);
  layout->addWidget(reason_);
  again_ = new QPushButton(tr("Make it now"));
  again_->setObjectName(QStringLiteral("make_again"));
  connect(again_, &QPushButton::clicked, &session_, &Session::make_again);
  again_->hide();
  layout->addWidget(again_);
  trouble_ = new QFrame;
  trouble_->setObjectName(QStringLiteral("trouble"));
  trouble_layout_ = new QVBoxLayout(trouble_);
  trouble_->hide();
  layout->addWidget(trouble_);
  for_points_ = new QPushButton;
  for_points_->setObjectName(QStringLiteral("for_points"));
  for_points_->setStyleSheet(QStringLiteral("QPushButton { margin-top: 6px; }"));
  for_points_->hide();
  layout->addWidget(for_points_);
  plan_ = new PlanPanel(session_);
  layout->addWidget(plan_);
  find_ = new FindPanel(session_);
  layout->addWidget(find_);
  looked_for_ = new QLabel;
  looked_for_->setObjectName(QStringLiteral("looked_for"));
  looked_for_->setWordWrap(true);
  looked_for_->hide();
  layout->addSpacing(8);
  layout->addWidget(looked_for_);

  for (const Family* family : family_table()) {
    const std::size_t place = rows_.size();
    rows_.emplace_back();
    Row& row = rows_.back();
    row.family = family;
    row.header = new RowButton;
    row.header->setAccessibleName(QString::fromUtf8(family->label));
    row.header->setToolTip(tr("Open to see each place"));
    auto* inside = new QHBoxLayout(row.header);
    inside->setContentsMargins(2, 0, 2, 0);
    row.mark = new QLabel;
    row.mark->setFixedSize(16, 16);
    row.name = new QLabel(QString::fromUtf8(family->label));
    row.count = new QLabel(QStringLiteral("0"));
    for (QLabel* label : {row.mark, row.name, row.count})
      label->setAttribute(Qt::WA_TransparentForMouseEvents);
    inside->addWidget(row.mark);
    inside->addWidget(row.name, 1);
    inside->addWidget(row.count);
    row.places = new QWidget;
    row.places_layout = new QVBoxLayout(row.places);
    row.places_layout->setContentsMargins(22, 0, 0, 6);
    row.places_layout->setSpacing(0);
    row.places->hide();
    connect(row.header, &QToolButton::toggled, this,
            [this, place](bool open) { open_family(place, open); });
    layout->addWidget(row.header);
    row.rule = new QFrame;
    row.rule->setFixedHeight(1);
    row.rule->setStyleSheet(QStringLiteral("background: #E4DED3;"));
    layout->addWidget(row.places);
    layout->addWidget(row.rule);
    if (family->role == FamilyRole::note) {
      row.header->hide();
      row.rule->hide();
    }
  }
  notes_ = new QFrame;
  notes_->setObjectName(QStringLiteral("notes"));
  notes_layout_ = new QVBoxLayout(notes_);
  notes_layout_->setContentsMargins(10, 8, 10, 8);
  notes_layout_->setSpacing(4);
  notes_->hide();
  layout->addSpacing(8);
  layout->addWidget(notes_);
  layout->addSpacing(10);
  layout->addWidget(section_label(tr("NUMBERS")));
  layout->addSpacing(4);
  for (const QString& name :
       {tr("Triangles"), tr("Faces"), tr("Edges"), tr("Vertices"), tr("Shells"), tr("Volume"), tr("Area"), tr("Size"), tr("Mass, PETG")}) {
    auto* line = new QHBoxLayout;
    line->setContentsMargins(0, 3, 0, 3);
    auto* value = new QLabel;
    value->setAccessibleName(name);
    value->setTextInteractionFlags(Qt::TextSelectableByMouse);
    value->setStyleSheet(QStringLiteral("font-weight: 500;"));
    line->addWidget(new QLabel(name));
    line->addStretch();
    line->addWidget(value);
    layout->addLayout(line);
    numbers_[name] = value;
  }
  chosen_ = new QLabel;
  chosen_->setObjectName(QStringLiteral("chosen_numbers"));
  chosen_->setAccessibleName(tr("Numbers of what is chosen"));
  chosen_->setWordWrap(true);
  chosen_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  chosen_title_ = section_label(tr("CHOSEN"));
  layout->addSpacing(8);
  layout->addWidget(chosen_title_);
  layout->addWidget(chosen_);
  layout->addStretch();
  scroll->setWidget(content);
  outer->addWidget(scroll);

  connect(&session_.chooser(), &Chooser::changed, this, &RailPanel::show_chosen);
  connect(&session_.finding(), &Finding::changed, this, &RailPanel::refresh);
  connect(&session_, &Session::job_changed, this, &RailPanel::refresh);
  connect(&session_, &Session::selection_changed, this, &RailPanel::refresh);
  connect(&session_, &Session::results_changed, this, &RailPanel::refresh);
  connect(&session_, &Session::standing_changed, this, &RailPanel::refresh);
  refresh();
  show_chosen();
}

std::size_t RailPanel::row_of(const Family& family) const {
  for (std::size_t k = 0; k < rows_.size(); ++k)
    if (rows_[k].family == &family) return k;
  return 0;
}

void RailPanel::offer_for_points(QAction* verb) {
  for_points_->setText(tr("%1 the points").arg(verb->text()));
  connect(for_points_, &QPushButton::clicked, verb, &QAction::trigger);
}

void RailPanel::refresh() {
  const PartId owner = session_.recipe_owner();
  const PartResult r = session_.result(owner);
  plan_->refresh();
  for_points_->setVisible(r.report && r.report->points > 0);
  show_numbers(r);
  if (r.evaluated != shown_result_ || r.issue.has_value() != shown_issue_ || names_ != session_.history().committed()) {
    shown_result_ = r.evaluated;
    shown_issue_ = r.issue.has_value();
    names_ = session_.history().committed();
    show_trouble(r);
    show_notes(r);
  }
  again_->hide();
  if (owner == 0) {
    shown_.reset();
    fade_numbers(false);
    glyph_->clear();
    verdict_->setText(tr("Nothing chosen"));
    reason_->setText(tr("Choose a part to see whether it is sound."));
    show_found({});
    for (Row& row : rows_) {
      show_count(row, std::nullopt);
      clear_layout(row.places_layout);
    }
    return;
  }
  const bool is_older = show_standing(r);
  fade_numbers(is_older);
  if (!r.report || r.coarser) return;
  if (!is_older) show_verdict(*r.report);
  const ReportPtr found = session_.finding().report(owner);
  show_found(*found);
  if (found != shown_) {
    shown_ = found;
    shown_mesh_ = r.evaluated->mesh;
    walking_ = false;
    for (std::size_t k = 0; k < rows_.size(); ++k)
      if (rows_[k].open) fill_places(k);
  }
}

bool RailPanel::show_standing(const PartResult& result) {
  const Standing standing = session_.standing(session_.recipe_owner());
  if (standing == Standing::current && !result.coarser && result.report) return false;
  const bool failed = standing == Standing::failed, stopped = standing == Standing::stopped;
  glyph_->setPixmap(theme::pixmap(failed ? QStringLiteral("unsound") : stopped ? QStringLiteral("stopped") : QStringLiteral("waiting"),
                                  failed ? theme::defect : theme::faint_ink, 26, devicePixelRatioF()));
  // What is there of this very recipe is only not judged yet.
  const bool unjudged = !failed && !stopped && result.evaluated && !result.report && !result.coarser;
  verdict_->setText(failed ? tr("Failed") : stopped ? tr("Stopped") : result.coarser ? tr("Coarser for now") : unjudged ? tr("Checking") : tr("Being made"));
  const QString older = !result.report || result.coarser ? QString() : tr("It was: %1.").arg(QString::fromStdString(verdict(*result.report)));
  if (failed)
    reason_->setText(result.issue ? tr("What is shown is older. %1").arg(older) : tr("What is shown is the part before the step that failed. %1").arg(result.report ? tr("That is: %1.").arg(QString::fromStdString(verdict(*result.report))) : QString()));
  else if (result.coarser && !stopped)
    reason_->setText(tr("It stays until the one that was asked for is made."));
  else if (!result.evaluated)
    reason_->setText(stopped ? tr("It was stopped before there was a result.") : QString());
  else
    reason_->setText(unjudged && !result.report ? tr("The numbers below are from the last check.") : tr("What is shown below is older. %1").arg(older));
  again_->setVisible(stopped);
  return true;
}

void RailPanel::fade_numbers(bool older) {
  for (const auto& [name, label] : numbers_) set_style(*label, older ? QStringLiteral("font-weight: 400; color: #9A9488;") : QStringLiteral("font-weight: 500;"));
}

void RailPanel::show_count(Row& row, std::optional<std::size_t> count) {
  const bool any = count.value_or(0) > 0;
  row.count->setText(count ? QStringLiteral("%L1").arg(*count) : QString());
  set_style(*row.count, any ? QStringLiteral("color: #B3202C; font-weight: 600;") : QStringLiteral("color: #6B665D;"));
  set_style(*row.name, any ? QStringLiteral("font-weight: 600;") : QString());
  row.mark->setPixmap(theme::pixmap(marker_icon(row.family->marker), any ? theme::defect : QColor(0xC9, 0xC2, 0xB4), 14, devicePixelRatioF()));
  row.header->setAccessibleDescription(row.count->text());
}

void RailPanel::set_finding(bool shown) { find_->setVisible(shown); }

/// One row for each family that is looked for, and above them what that is where it is not the usual.
void RailPanel::show_found(const SoundnessReport& report) {
  const Finding& finding = session_.finding();
  for (Row& row : rows_) {
    const bool listed = finding.lists(*row.family);
    row.header->setVisible(listed);
    row.rule->setVisible(listed);
    row.places->setVisible(listed && row.open);
    if (listed) show_count(row, report.points > 0 ? std::nullopt : std::optional(report.count(*row.family)));
  }
  looked_for_->setVisible(finding.narrowed());
  if (!finding.narrowed()) return;
  const Finding::Wanted wanted = finding.wanted();
  QStringList words{wanted.families.size() == 1 ? tr("1 family") : tr("%1 families").arg(wanted.families.size())};
  if (wanted.tolerance > 0) words << tr("within %1 mm").arg(significant(wanted.tolerance));
  if (!wanted.only.empty()) words << tr("only at chosen faces");
  looked_for_->setText(finding.is_there(session_.recipe_owner()) ? tr("Looked for: %1. The verdict is about everything.").arg(words.join(QStringLiteral(", ")))
                                                                 : tr("Looking for: %1").arg(words.join(QStringLiteral(", "))));
}

void RailPanel::show_verdict(const SoundnessReport& report) {
  const bool is_cloud = report.points > 0;
  glyph_->setPixmap(theme::pixmap(is_cloud ? QStringLiteral("cloud") : report.sound ? QStringLiteral("sound") : QStringLiteral("unsound"),
                                  report.sound || is_cloud ? theme::ink : theme::defect, 26, devicePixelRatioF()));
  const QString text = QString::fromStdString(verdict(report));
  const auto colon = text.indexOf(QLatin1Char(':'));
  verdict_->setText(report.sound || colon < 0 ? text : text.left(colon));
  const std::size_t contacts = report.count(families::contact_edges);
  reason_->setText(report.sound ? contacts > 0 ? tr("Closed, manifold, facing out. Edges where it touches itself: %1.").arg(contacts)
                                               : tr("Closed, manifold, facing out, nothing crosses.")
                   : colon < 0 ? QString()
                               : text.mid(colon + 2));
  if (is_cloud) reason_->setText(tr("%L1 points, not a surface yet.").arg(report.points));
}

void RailPanel::show_numbers(const PartResult& result) {
  auto set = [&](const QString& name, const QString& text) { numbers_[name]->setText(text); };
  const bool there = result.evaluated && result.evaluated->drawable;
  if (!there) {
    for (const auto& [name, label] : numbers_) label->setText(QStringLiteral("–"));
    return;
  }
  set(tr("Triangles"), QStringLiteral("%L1").arg(result.evaluated->drawable->triangles.size() / 3));
  const Affine world = session_.job().world_of(session_.recipe_owner());
  const Box3 box = session_.world_bounds(session_.recipe_owner());
  if (!box.empty())
    set(tr("Size"), QStringLiteral("%1 × %2 × %3 mm")
                        .arg(length(box.size().x()), length(box.size().y()), length(box.size().z())));
  if (!result.report) return;
  const SoundnessReport& report = *result.report;
  set(tr("Vertices"), QStringLiteral("%L1").arg(report.vertices));
  if (report.points > 0) {
    for (const QString& name : {tr("Triangles"), tr("Faces"), tr("Edges"), tr("Shells"), tr("Volume"), tr("Mass, PETG"), tr("Area")}) set(name, QStringLiteral("–"));
    return;
  }
  const double volume = report.volume * std::abs(world.linear().determinant());
  set(tr("Faces"), QStringLiteral("%L1").arg(report.polygons));
  set(tr("Edges"), QStringLiteral("%L1").arg(report.edges));
  set(tr("Shells"), QStringLiteral("%L1").arg(report.shells));
  set(tr("Volume"), report.closed() ? volume_text(volume) : tr("open"));
  set(tr("Mass, PETG"),
      report.closed() ? mass_text(volume / 1000 * petg_grams_per_cm3) : tr("open"));
  // Area scales evenly only under an even scale; then the cube root of the determinant is that scale.
  const double scale = std::cbrt(std::abs(world.linear().determinant()));
  const Eigen::Matrix3d gram = world.linear().transpose() * world.linear();
  const bool even = (gram - scale * scale * Eigen::Matrix3d::Identity()).cwiseAbs().maxCoeff() < 1e-9 * scale * scale;
  set(tr("Area"), even ? area_text(report.area * scale * scale) : tr("scaled unevenly"));
}

/// How much is chosen by hand, and what can be measured of it.
void RailPanel::show_chosen() {
  Chooser& chooser = session_.chooser();
  const Topology* topology = chooser.on() && !chooser.chosen().empty() ? chooser.topology() : nullptr;
  chosen_title_->setVisible(topology != nullptr);
  chosen_->setVisible(topology != nullptr);
  if (topology == nullptr || session_.job().find(chooser.part()) == nullptr) return;
  const Mesh& mesh = *chooser.evaluated()->mesh;
  const auto count = [&](ElementKind kind) { return tr("%L1 %2").arg(chooser.count_as(kind)).arg(QLatin1String(name_of(kind, chooser.count_as(kind) != 1))); };
  std::size_t triangles = 0;
  if (chooser.chosen().kind == ElementKind::faces)
    for (Index f : chooser.chosen().list) triangles += mesh.face(f).size() - 2;
  QStringList lines{count(ElementKind::vertices) + tr(", ") + count(ElementKind::edges) + tr(", ") + count(ElementKind::faces)};
  if (triangles > 0) lines << tr("%L1 triangles").arg(triangles);
  const Measured measured = measure(mesh, *topology, chooser.chosen(), session_.job().world_of(chooser.part()));
  if (measured.length) lines << tr("Length %1 mm").arg(significant(*measured.length));
  if (measured.area) lines << tr("Area %1").arg(area_text(*measured.area));
  if (measured.distance) lines << tr("Distance %1 mm").arg(significant(*measured.distance));
  if (measured.angle) lines << tr("Angle %1°").arg(significant(*measured.angle));
  chosen_->setText(lines.join(QLatin1Char('\n')));
}

/// What the engine did beside the plain result, with the places where it can tell them.
void RailPanel::show_notes(const PartResult& result) {
  clear_layout(notes_layout_);
  notes_->hide();
  if (!result.evaluated || result.trouble() != nullptr) return;
  const PartId owner = session_.recipe_owner();
  auto add = [&](const QString& text, const std::vector<Vec3>& places) {
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    line->addWidget(label, 1);
    if (!places.empty()) {
      auto* show = link_button(tr("show"));
      show->setAccessibleName(tr("Show %1").arg(text));
      // Each press flies to the next of the places.
      connect(show, &QToolButton::clicked, this, [this, owner, places, text, next = std::size_t{0}]() mutable {
        Place place;
        place.position = places[next % places.size()];
        place.text = text.toStdString();
        ++next;
        emit session_.fly_requested(owner, place);
      });
      line->addWidget(show, 0, Qt::AlignTop);
    }
    notes_layout_->addLayout(line);
    notes_->show();
  };
  auto sentence = [](QString text) {
    if (!text.isEmpty()) text[0] = text[0].toUpper();
    return text;
  };
  for (const StepReport& step : result.evaluated->steps)
    for (const auto& done : step.report.done)
      if (done.note->place == Note::Place::rail || done.note->place == Note::Place::both) add(sentence(session_.named(owner, in_words(done))), done.places);
  if (result.evaluated->pieces > 1) add(tr("%1 pieces, each judged by itself").arg(result.evaluated->pieces), {});
  if (result.evaluated->open_on_purpose) add(tr("Open on purpose: a step leaves it so"), {});
}

void RailPanel::show_trouble(const PartResult& result) {
  clear_layout(trouble_layout_);
  trouble_->hide();
  if (!result.evaluated && !result.issue) return;
  const PartId owner = session_.recipe_owner();
  Issue issue;
  PartId about = owner;
  if (const Issue* trouble = result.trouble()) {
    issue = session_.named(owner, *trouble);
    if (const PartId part = part_of_token(result.cast, trouble->subject); part != 0) about = part;
  } else if (const OperationReport* last = result.evaluated->last_report(); last != nullptr && !last->empty_reason.empty()) {
    issue = {("the result is empty: " + session_.named(owner, last->empty_reason)).toStdString(), "", {}, empty_remedy(session_.job(), result).toStdString()};
  } else {
    return;
  }
  auto* text = new QLabel(QString::fromStdString(issue.message()));
  text->setWordWrap(true);
  trouble_layout_->addWidget(text);
  if (!issue.places.empty()) {
    auto* show = link_button(tr("show"));
    connect(show, &QToolButton::clicked, this, [this, issue, about] {
      if (session_.job().find(about) == nullptr) return;
      Box3 box;
      for (const Vec3& p : issue.places) box.add(p);
      session_.select({about});
      emit session_.fly_requested(about, {box.centre(), box.diagonal() / 2, issue.what, {}});
    });
    trouble_layout_->addWidget(show, 0, Qt::AlignRight);
  }
  trouble_->show();
}

void RailPanel::open_family(std::size_t place, bool open) {
  Row& row = rows_[place];
  row.open = open;
  if (row.header->isChecked() != open) {
    const QSignalBlocker quiet(row.header);
    row.header->setChecked(open);
  }
  if (open)
    fill_places(place);
  else
    clear_layout(row.places_layout);
  row.places->setVisible(open);
}

void RailPanel::fill_places(std::size_t place) {
  Row& row = rows_[place];
  clear_layout(row.places_layout);
  if (!shown_) return;
  const FamilyReport& found = shown_->of(*row.family);
  const PartId owner = session_.recipe_owner();
  auto faint = [&](const QString& text) {
    auto* label = new QLabel(text);
    label->setObjectName(QStringLiteral("faint"));
    row.places_layout->addWidget(label);
  };
  if (found.defects.empty()) return faint(tr("none"));
  if (row.family == &families::open_edges && shown_->holes() > 0)
    faint(tr("%1 open edges, %2").arg(found.count).arg(shown_->holes() == 1 ? tr("1 hole") : tr("%1 holes").arg(shown_->holes())));
  for (std::size_t k = 0; k < std::min(found.defects.size(), max_listed); ++k) {
    const QString note = QString::fromStdString(found.defects[k].note);
    auto* text = new QLabel(note);
    text->setWordWrap(true);
    row.places_layout->addWidget(text);
    // A link keeps the report that it is about alive.
    const auto link = [&](const QString& what, const QString& of, auto act) {
      auto* button = link_button(what);
      button->setAccessibleName(of.arg(note));
      connect(button, &QToolButton::clicked, this, [act, k, &found, report = shown_] { act(found.defects[k]); });
      return button;
    };
    auto* links = new QHBoxLayout;
    links->setSpacing(6);
    links->addWidget(link(tr("show"), tr("Show %1"), [this, owner, mesh = shown_mesh_](const Defect& d) { emit session_.fly_requested(owner, place_of(d, *mesh)); }));
    links->addWidget(link(tr("choose"), tr("Choose the elements of %1"), [this](const Defect& d) { choose(d); }));
    if (Session::is_mendable(*row.family))
      links->addWidget(link(tr("mend"), tr("Mend %1"), [this, owner, family = row.family](const Defect& d) { session_.mend_family(owner, *family, &d); }));
    links->addStretch();
    row.places_layout->addLayout(links);
  }
  if (found.defects.size() > 1 && Session::is_mendable(*row.family)) {
    auto* all = link_button(tr("mend all %1 of them").arg(found.defects.size()));
    all->setAccessibleName(tr("Mend all: %1").arg(QString::fromUtf8(row.family->label)));
    connect(all, &QToolButton::clicked, this, [this, owner, family = row.family] { session_.mend_family(owner, *family, nullptr); });
    row.places_layout->addWidget(all, 0, Qt::AlignLeft);
  }
  if (found.defects.size() > max_listed) faint(tr("and %L1 more, all marked in the view").arg(found.defects.size() - max_listed));
}

/// Its faces, or where it names none its edges or vertices, as a choice by hand.
void RailPanel::choose(const Defect& defect) {
  Chooser& chooser = session_.chooser();
  const Topology* topology = chooser.topology();
  if (topology == nullptr) return;
  FamilyReport alone;
  alone.defects.push_back(defect);
  const ElementKind kind = !defect.edges.empty() ? ElementKind::edges : !defect.faces.empty() ? ElementKind::faces : ElementKind::vertices;
  chooser.choose(of_defects(*chooser.evaluated()->mesh, *topology, alone, kind));
}

void RailPanel::show_next(int step) {
  if (!shown_) return;
  std::vector<std::pair<std::size_t, const Defect*>> all;
  for (std::size_t row = 0; row < rows_.size(); ++row)
    if (session_.finding().lists(*rows_[row].family))
      for (const Defect& defect : shown_->of(*rows_[row].family).defects) all.emplace_back(row, &defect);
  if (all.empty()) return session_.say(tr("There is no place to show: nothing was found"));
  if (!walking_)
    current_place_ = step > 0 ? 0 : all.size() - 1;
  else
    current_place_ = (current_place_ + all.size() + static_cast<std::size_t>(step + static_cast<int>(all.size()))) % all.size();
  walking_ = true;
  const auto& [row, defect] = all[current_place_];
  open_family(row, true);
  emit session_.fly_requested(session_.recipe_owner(), place_of(*defect, *shown_mesh_));
  session_.say(tr("Place %1 of %2: %3").arg(current_place_ + 1).arg(all.size()).arg(QString::fromStdString(defect->note)));
}

}  // namespace anvil::app
