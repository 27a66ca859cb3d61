// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QApplication>
#include <QMainWindow>
#include <QPainter>
#include <QToolButton>
#include <QtCore>

#include "core/precompiled.h"
