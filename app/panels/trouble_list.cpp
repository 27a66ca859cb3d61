// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/trouble_list.h"

#include <QHBoxLayout>
#include <QPushButton>
#include <QScrollArea>
#include <algorithm>

#include "app/widgets.h"

namespace anvil::app {

TroubleList::TroubleList(Session& session, QWidget* parent) : QFrame(parent), session_(session) {
  setObjectName(QStringLiteral("trouble_list"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  scroll_ = new QScrollArea;
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_ = new QWidget;
  rows_layout_ = new QVBoxLayout(list_);
  rows_layout_->setContentsMargins(0, 0, 0, 0);
  rows_layout_->setSpacing(2);
  scroll_->setWidget(list_);
  layout->addWidget(scroll_);
  auto* close_all = link_button(tr("close all"));
  close_all->setObjectName(QStringLiteral("close_all_troubles"));
  connect(close_all, &QToolButton::clicked, this, [this] {
    while (!rows_.empty()) remove(rows_.back().frame);
  });
  close_all_ = close_all;
  layout->addWidget(close_all, 0, Qt::AlignRight);
  hide();
}

void TroubleList::tell(const Issue& issue, PartId part, Session::Complaint kind) {
  const QString words = QString::fromStdString(issue.message());
  // What was said before in the same words is said once.
  if (const auto same = std::find_if(rows_.begin(), rows_.end(), [&](const Row& row) { return row.text->text() == words; }); same != rows_.end()) remove(same->frame);
  const bool stays = kind != Session::Complaint::passes;
  if (!stays) drop_passing();
  auto* frame = new QFrame;
  frame->setObjectName(kind == Session::Complaint::noted ? QStringLiteral("notes") : QStringLiteral("trouble"));
  auto* strip = new QHBoxLayout(frame);
  strip->setContentsMargins(14, 6, 8, 6);
  auto* text = new QLabel(words);
  text->setWordWrap(true);
  text->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* remedies = new QHBoxLayout;
  strip->addWidget(text, 1);
  strip->addLayout(remedies);
  if (part != 0 && !issue.places.empty()) {
    auto* show = link_button(tr("show"));
    connect(show, &QToolButton::clicked, this, [this, issue, part] {
      Place place;
      place.position = issue.places.front();
      place.text = issue.what;
      emit session_.fly_requested(part, place);
    });
    strip->addWidget(show);
  }
  auto* close = link_button(tr("close"));
  close->setAccessibleName(tr("Close: %1").arg(words));
  connect(close, &QToolButton::clicked, this, [this, frame] { remove(frame); });
  strip->addWidget(close);
  rows_.insert(rows_.begin(), {frame, text, remedies, stays});
  rows_layout_->insertWidget(0, frame);
  show_rows();
}

void TroubleList::offer(const std::vector<Remedy>& remedies) {
  if (rows_.empty()) return;
  remedies_of_ = session_.history().committed();
  for (const Remedy& remedy : remedies) {
    auto* button = new QPushButton(remedy.label);
    button->setObjectName(QStringLiteral("remedy"));
    connect(button, &QPushButton::clicked, this, [this, frame = rows_.front().frame, run = remedy.run] {
      remove(frame);
      run();
    });
    rows_.front().remedies->addWidget(button);
  }
}

void TroubleList::drop_remedies_of_older_jobs() {
  if (session_.history().committed() == remedies_of_) return;
  for (const Row& row : rows_) clear_layout(row.remedies);
}

void TroubleList::drop_passing() {
  for (const Row& row : std::vector(rows_))
    if (!row.stays) remove(row.frame);
}

void TroubleList::remove(QFrame* frame) {
  std::erase_if(rows_, [&](const Row& row) { return row.frame == frame; });
  rows_layout_->removeWidget(frame);
  frame->hide();
  frame->setParent(nullptr);
  frame->deleteLater();  // the click may be one of its own
  show_rows();
}

void TroubleList::show_rows() {
  for (std::size_t k = 0; k < rows_.size(); ++k) rows_[k].text->setObjectName(k == 0 ? QStringLiteral("issue_text") : QStringLiteral("older_issue_text"));
  setVisible(!rows_.empty());
  close_all_->setVisible(rows_.size() > 1);
  if (rows_.empty()) return;
  // As high as what it holds, up to a share of the view.
  constexpr int highest = 170;
  const int width = std::max(scroll_->viewport()->width(), 200);
  int height = 0;
  for (const Row& row : rows_) height += row.frame->layout()->hasHeightForWidth() ? row.frame->layout()->totalHeightForWidth(width) : row.frame->sizeHint().height();
  height += rows_layout_->spacing() * static_cast<int>(rows_.size() - 1);
  scroll_->setFixedHeight(std::min(height, highest));
}

}  // namespace anvil::app
