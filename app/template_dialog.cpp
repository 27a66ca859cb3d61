// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/template_dialog.h"

#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QStandardPaths>
#include <QVBoxLayout>
#include <algorithm>

#include "app/widgets.h"

namespace anvil::app {
namespace {

namespace fs = std::filesystem;

QString in_qt(const std::string& text) { return QString::fromStdString(text); }

QString steps_in_words(const StepTemplate& made) {
  QStringList names;
  for (const Step& step : made.steps) names << in_qt(step.shown_name());
  return names.join(QStringLiteral(", "));
}

/// A file for a template of that name, not there yet.
fs::path free_file(const std::string& name) {
  std::string stem;
  for (const QChar c : in_qt(name).toLower()) stem += c.isLetterOrNumber() ? QString(c).toStdString() : stem.empty() || stem.back() == '-' ? std::string() : std::string("-");
  constexpr std::size_t longest = 60;
  if (stem.size() > longest) stem = in_qt(stem).left(static_cast<int>(longest) / 2).toStdString();
  if (stem.empty()) stem = "template";
  fs::path file = template_folder() / (stem + template_ending);
  for (int n = 2; fs::exists(file); ++n) file = template_folder() / (stem + "-" + std::to_string(n) + template_ending);
  return file;
}

/// Keeps a template among the user's. @return why not
std::optional<Issue> keep_template(const StepTemplate& made) {
  std::error_code error;
  fs::create_directories(template_folder(), error);
  const auto written = save_template(made, free_file(made.name));
  return written ? std::nullopt : std::optional(written.issue());
}

QLabel* problem_label() {
  auto* label = new QLabel;
  label->setObjectName(QStringLiteral("template_told"));
  label->setWordWrap(true);
  label->setStyleSheet(QStringLiteral("color: #B3202C;"));
  label->hide();
  return label;
}

void tell(QLabel* label, const QString& text) {
  label->setText(text);
  label->setVisible(!text.isEmpty());
}

}  // namespace

fs::path template_folder() { return fs::path(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString()) / "templates"; }

TemplateDialog::TemplateDialog(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
  setObjectName(QStringLiteral("templates"));
  setWindowTitle(tr("Templates"));
  resize(520, 380);
  auto* layout = new QVBoxLayout(this);
  auto* head = new QLabel(tr("A template adds its steps, with their settings, to the recipe of the chosen part."));
  head->setWordWrap(true);
  layout->addWidget(head);
  list_ = new QListWidget;
  list_->setObjectName(QStringLiteral("template_list"));
  list_->setAccessibleName(tr("Templates"));
  list_->setWordWrap(true);
  list_->setSpacing(3);
  layout->addWidget(list_, 1);
  told_ = problem_label();
  layout->addWidget(told_);
  auto* buttons = new QHBoxLayout;
  const auto add = [&](const char* name, const QString& text, void (TemplateDialog::*what)()) {
    auto* button = new QPushButton(text);
    button->setObjectName(QLatin1String(name));
    button->setAutoDefault(false);
    connect(button, &QPushButton::clicked, this, what);
    buttons->addWidget(button);
    return button;
  };
  use_ = add("template_use", tr("Use"), &TemplateDialog::use);
  use_->setDefault(true);
  buttons->addStretch();
  add("template_bring_in", tr("Bring in…"), &TemplateDialog::bring_in);
  send_out_ = add("template_send_out", tr("Send out…"), &TemplateDialog::send_out);
  remove_ = add("template_remove", tr("Delete"), &TemplateDialog::remove);
  layout->addLayout(buttons);
  connect(list_, &QListWidget::itemDoubleClicked, this, &TemplateDialog::use);
  connect(list_, &QListWidget::currentRowChanged, this, [this] {
    const Entry* entry = current();
    use_->setEnabled(entry != nullptr && session_.recipe_owner() != 0);
    send_out_->setEnabled(entry != nullptr);
    remove_->setEnabled(entry != nullptr && !entry->file.empty());
  });
  const Part* part = session_.job().find(session_.recipe_owner());
  if (part != nullptr) use_->setText(tr("Use on %1").arg(in_qt(part->name)));
  fill();
}

void TemplateDialog::fill() {
  entries_.clear();
  QStringList unreadable;
  std::error_code error;
  std::vector<fs::path> files;
  for (const auto& entry : fs::directory_iterator(template_folder(), error))
    if (entry.path().string().ends_with(template_ending)) files.push_back(entry.path());
  std::sort(files.begin(), files.end());
  for (const fs::path& file : files) {
    if (Result<StepTemplate> read = load_template(file))
      entries_.push_back({std::move(*read), file});
    else
      unreadable << in_qt(read.issue().message());
  }
  for (const QString& name : QDir(QStringLiteral(":/templates")).entryList({QStringLiteral("*.json")}, QDir::Files, QDir::Name)) {
    QFile file(QStringLiteral(":/templates/") + name);
    if (!file.open(QIODevice::ReadOnly)) continue;
    if (Result<StepTemplate> read = template_from_text(file.readAll().toStdString(), name.toStdString())) entries_.push_back({std::move(*read), {}});
  }
  list_->clear();
  for (const Entry& entry : entries_)
    list_->addItem(tr("%1\n%2%3").arg(in_qt(entry.made.name), steps_in_words(entry.made), entry.file.empty() ? tr(" · comes with Clean Anvil") : QString()));
  list_->setCurrentRow(entries_.empty() ? -1 : 0);
  tell(told_, unreadable.join(QLatin1Char('\n')));
}

const TemplateDialog::Entry* TemplateDialog::current() const {
  const int row = list_->currentRow();
  return row < 0 || static_cast<std::size_t>(row) >= entries_.size() ? nullptr : &entries_[static_cast<std::size_t>(row)];
}

void TemplateDialog::use() {
  const Entry* entry = current();
  const PartId part = session_.recipe_owner();
  if (entry == nullptr || part == 0) return;
  std::vector<StepId> ids;
  const Result<Job> job = edit::add_template(session_.job(), part, entry->made, session_.new_step_place(), &ids);
  if (!job) return tell(told_, in_qt(job.issue().message()));
  session_.commit(tr("use a template"), *job);
  if (session_.up_to() != 0 && !ids.empty()) session_.look_up_to(ids.back());
  accept();
}

void TemplateDialog::send_out() {
  const Entry* entry = current();
  if (entry == nullptr) return;
  const QString suggestion = QDir::home().filePath(in_qt(free_file(entry->made.name).filename().string()));
  const QString path = QFileDialog::getSaveFileName(this, tr("Send a template out"), suggestion, tr("Templates (*.json)"), nullptr, QFileDialog::DontUseNativeDialog);
  if (path.isEmpty()) return;
  const auto written = save_template(entry->made, path.toStdString());
  tell(told_, written ? QString() : in_qt(written.issue().message()));
}

void TemplateDialog::bring_in() {
  const QStringList paths = QFileDialog::getOpenFileNames(this, tr("Bring templates in"), QDir::homePath(), tr("Templates (*.json);;All files (*)"), nullptr, QFileDialog::DontUseNativeDialog);
  QStringList problems;
  for (const QString& path : paths) {
    const Result<StepTemplate> read = load_template(path.toStdString());
    const std::optional<Issue> issue = read ? keep_template(*read) : std::optional(read.issue());
    if (issue) problems << in_qt(issue->message());
  }
  fill();
  if (!problems.isEmpty()) tell(told_, problems.join(QLatin1Char('\n')));
}

void TemplateDialog::remove() {
  const Entry* entry = current();
  if (entry == nullptr || entry->file.empty()) return;
  std::error_code error;
  fs::remove(entry->file, error);
  fill();
  if (error) tell(told_, in_qt(error.message()));
}

KeepTemplateDialog::KeepTemplateDialog(Session& session, PartId part, StepId ticked, QWidget* parent) : QDialog(parent), session_(session) {
  setObjectName(QStringLiteral("keep_template"));
  setWindowTitle(tr("Keep as a template"));
  resize(380, 320);
  auto* layout = new QVBoxLayout(this);
  layout->addWidget(new QLabel(tr("Name of the template")));
  name_ = new QLineEdit;
  name_->setObjectName(QStringLiteral("template_name"));
  name_->setAccessibleName(tr("Name of the template"));
  layout->addWidget(name_);
  layout->addWidget(new QLabel(tr("Steps that it holds, with their settings and without their tools")));
  steps_ = new QListWidget;
  steps_->setObjectName(QStringLiteral("template_steps"));
  steps_->setAccessibleName(tr("Steps of the template"));
  for (const Step& step : session_.job().at(part).recipe) {
    auto* item = new QListWidgetItem(in_qt(step.shown_name()), steps_);
    item->setData(Qt::UserRole, step.id);
    item->setCheckState(step.id == ticked ? Qt::Checked : Qt::Unchecked);
    if (step.id == ticked) name_->setText(in_qt(step.shown_name()));
  }
  layout->addWidget(steps_, 1);
  told_ = problem_label();
  layout->addWidget(told_);
  auto* buttons = new QHBoxLayout;
  buttons->addStretch();
  auto* cancel = new QPushButton(tr("Cancel"));
  cancel->setAutoDefault(false);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  auto* keep_it = new QPushButton(tr("Keep"));
  keep_it->setObjectName(QStringLiteral("template_keep"));
  keep_it->setDefault(true);
  connect(keep_it, &QPushButton::clicked, this, &KeepTemplateDialog::keep);
  buttons->addWidget(cancel);
  buttons->addWidget(keep_it);
  layout->addLayout(buttons);
  name_->selectAll();
}

void KeepTemplateDialog::keep() {
  std::vector<StepId> steps;
  for (int row = 0; row < steps_->count(); ++row)
    if (steps_->item(row)->checkState() == Qt::Checked) steps.push_back(steps_->item(row)->data(Qt::UserRole).toUInt());
  const std::string name = name_->text().trimmed().toStdString();
  if (name.empty()) return tell(told_, tr("Give it a name."));
  if (steps.empty()) return tell(told_, tr("Tick the steps that it is to hold."));
  if (const auto issue = keep_template(template_of(session_.job(), steps, name))) return tell(told_, in_qt(issue->message()));
  session_.say(tr("Kept as a template: %1").arg(name_->text().trimmed()));
  accept();
}

}  // namespace anvil::app
