// SPDX-License-Identifier: GPL-3.0-or-later
// One station of a strip layout: the outlines with which strips end there.
#pragma once

#include "core/shape/blend/sector.h"
#include "core/shape/blend/strip_layout.h"

namespace anvil {

/// Fills in the layout's sectors and profiles of one cell, and its trim lines.
class CellLayout {
 public:
  CellLayout(StripLayout& layout, Index cell);
  void lay_out();

 private:
  // Numbers count through the cell's halves.
  Index half(std::size_t i) const { return out_[i % out_.size()]; }
  Index facet(std::size_t i) const { return graph_.halves[half(i)].facet; }
  const Vec3& normal(std::size_t i) const { return graph_.facets[facet(i)].normal; }

  std::vector<Index> outline(std::size_t i, std::size_t mitred_with);
  void make_profiles();
  bool meet_in_point();
  bool cuts_the_wrong_way() const;
  void follow_end_face(const Span& span);
  std::size_t odd_one() const;
  std::vector<std::vector<Vec3>> lead_over(std::size_t odd);

  StripLayout& layout_;
  const StripEnds& ends_;
  const BlendTask& task_;
  const FeatureGraph& graph_;
  const Index cell_;
  const std::vector<Index>& out_;
  const Vec3& vertex_;
  const std::vector<Span> spans_;
};

}  // namespace anvil
