// SPDX-License-Identifier: GPL-3.0-or-later
// The look: colours, fonts and icons of the drawing office.
#pragma once

#include <QColor>
#include <QIcon>

#include "core/boolean/combine.h"

class QApplication;

namespace anvil::app::theme {

inline const QColor panel{0xF3, 0xF0, 0xEA};
inline const QColor paper{0xFB, 0xFA, 0xF7};  ///< cards
inline const QColor ink{0x22, 0x25, 0x2B};
inline const QColor faint_ink{0x6B, 0x66, 0x5D};
inline const QColor line{0xD8, 0xD2, 0xC6};
inline const QColor view_top{0xE9, 0xE6, 0xDF};
inline const QColor view_bottom{0xCF, 0xCB, 0xC2};
inline const QColor part{0x6F, 0x7F, 0x92};
inline const QColor selection{0xA1, 0x26, 0x7E};
inline const QColor selection_wash{0xEA, 0xD9, 0xE3};
inline const QColor notice_wash{0xF7, 0xEA, 0xD3};
inline const QColor other{0x7A, 0x6A, 0x58};  ///< steps and tools that are none of the three
inline const QColor defect{0xB3, 0x20, 0x2C};
inline const QColor defect_wash{0xF6, 0xE0, 0xDE};

/// Tint of what a tool does to its part; the glyph says it first.
QColor operation_tint(Operation operation);
const char* operation_glyph(Operation operation);
/// What stands behind a tool's name in the view: "+", "−", "∩", or the operation's name.
QString operation_sign(Operation operation);
/// Its name in a list: "union", "open trim, inside", …
QString operation_label(Operation operation);

/// Loads the fonts that ship with the application and sets palette and style sheet.
void apply(QApplication& application);

/// An icon drawn for Clean Anvil, in the given colour. Unknown names are a programming error.
QIcon icon(const QString& name, const QColor& colour = ink);
QPixmap pixmap(const QString& name, const QColor& colour, int size, double device_ratio);

}  // namespace anvil::app::theme
