// SPDX-License-Identifier: GPL-3.0-or-later
// Kinds of stock with a file of their own; stock_table() takes them up.
#pragma once

#include "core/stock/primitive.h"

namespace anvil {

StockKind polyhedron_kind();
StockKind thread_kind();
StockKind outline_kind();
StockKind helix_kind();
StockKind lettering_kind();
StockKind soft_balls_kind();

}  // namespace anvil
