// SPDX-License-Identifier: GPL-3.0-or-later
// Of faces on the same corners one stays, or none: none where the faces around them close without it, as around a wall
// between two bodies.
#include <algorithm>
#include <map>

#include "core/mend/mender.h"
#include "core/mesh/union_find.h"
#include "core/soundness/analysis.h"

namespace anvil {
namespace {

class Doubled {
 public:
  explicit Doubled(MendJob& job) : job_(job), a_(job.analysis), mesh_(job.mesh), edges_(job.analysis.position_edges()) {}

  void run(Deed& deed) {
    find_stacks();
    const std::vector<char> keeps = votes();
    for (std::size_t s = 0; s < stacks_.size(); ++s) {
      const Index stays = keeps[s] ? best_of(stacks_[s]) : no_index;
      for (Index f : stacks_[s]) {
        if (f == stays) continue;
        if (stays != no_index) hand_over(f, stays);
        job_.edit.remove_face(f);
        ++deed.count;
      }
      deed.places.push_back(a_.face_centre(stacks_[s][0]));
    }
  }

 private:
  /// What hangs on the corners of the face that goes, hangs on those of the one that stays.
  void hand_over(Index goes, Index stays) {
    for (Index v : mesh_.face(goes))
      for (Index w : mesh_.face(stays))
        if (v != w && a_.positions.id[v] == a_.positions.id[w]) job_.edit.merge_vertex(v, w);
  }

  /// Each doubled face with all others on its corners.
  void find_stacks() {
    stack_of_.assign(mesh_.face_count(), no_index);
    for (const Defect& defect : job_.of(families::doubled_faces))
      for (Index f : defect.faces) {
        if (stack_of_[f] != no_index) continue;
        const auto number = static_cast<Index>(stacks_.size());
        stacks_.push_back({f});
        may_go_.push_back(0);
        stack_of_[f] = number;
        Index corner = mesh_.face_offsets[f];
        while (edges_.corner_edge[corner] == no_index) ++corner;
        for (Index use : edges_.corners_of(edges_.corner_edge[corner])) {
          const Index g = edges_.corner_face[use];
          if (stack_of_[g] != no_index || !same_ring(a_, f, g)) continue;
          stack_of_[g] = number;
          stacks_.back().push_back(g);
          if (a_.positions.id[mesh_.corners[use]] != a_.positions.id[mesh_.corners[corner]]) may_go_[number] = 1;
        }
      }
  }

  /// A copy that runs the same way is a slip: one stays. Where faces run against each other they may be a wall between two
  /// bodies. Such stacks that hang together over edges are decided together, by the edges where other faces meet them: an odd
  /// number of those lacks one.
  std::vector<char> votes() {
    UnionFind sets(stacks_.size());
    struct Vote {
      double keep = 0, drop = 0;
    };
    std::vector<Vote> vote(stacks_.size());
    for (Index s = 0; s < stacks_.size(); ++s) {
      if (!may_go_[s]) continue;
      const Index f = stacks_[s][0];
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        if (edges_.corner_edge[c] == no_index) continue;
        std::size_t others = 0;
        for (Index use : edges_.corners_of(edges_.corner_edge[c])) {
          const Index other = stack_of_[edges_.corner_face[use]];
          if (other == no_index)
            ++others;
          else if (may_go_[other])
            sets.unite(s, other);
          else
            others += stacks_[other][0] == edges_.corner_face[use];  // one of it stays
        }
        const double length = (a_.end_of(c) - a_.start_of(c)).norm();
        if (others > 0) (others % 2 == 1 ? vote[s].keep : vote[s].drop) += length;
      }
    }
    std::vector<Index> set_of;
    std::vector<Vote> sum(sets.number(set_of));
    for (Index s = 0; s < stacks_.size(); ++s) sum[set_of[s]].keep += vote[s].keep, sum[set_of[s]].drop += vote[s].drop;
    std::vector<char> keeps(stacks_.size());
    for (Index s = 0; s < stacks_.size(); ++s) keeps[s] = !may_go_[s] || sum[set_of[s]].keep >= sum[set_of[s]].drop;
    return keeps;
  }

  /// The face that fits its neighbours best: by edges shared with faces that run the other way there. The first of several.
  Index best_of(const std::vector<Index>& stack) const {
    Index best = no_index;
    int most = -1;
    for (Index f : stack) {
      int fits = 0;
      for (Index c = mesh_.face_offsets[f]; c < mesh_.face_offsets[f + 1]; ++c) {
        if (a_.edges.corner_edge[c] == no_index) continue;
        bool beside = false, against = false;
        for (Index use : a_.edges.corners_of(a_.edges.corner_edge[c])) {
          if (stack_of_[a_.edges.corner_face[use]] == stack_of_[f]) continue;
          beside = true;
          against = against || mesh_.corners[use] != mesh_.corners[c];
        }
        fits += 2 * beside + against;
      }
      if (fits > most || (fits == most && f < best)) most = fits, best = f;
    }
    return best;
  }

  MendJob& job_;
  const Analysis& a_;
  const Mesh& mesh_;
  const EdgeTable& edges_;
  std::vector<Index> stack_of_;
  std::vector<std::vector<Index>> stacks_;
  std::vector<char> may_go_;  // per stack: faces of it run against each other
};

void apply_doubled(MendJob& job, Deed& deed) { Doubled(job).run(deed); }

constexpr Note did_doubled{"doubled_taken_out", "1 doubled face taken out", "{0} doubled faces taken out", Note::Place::card};

}  // namespace

const Mender menders::doubled = {"doubled", "Take out doubled faces", &families::doubled_faces,
                                 "take out 1 face that lies on another", "take out {0} faces that lie on others", 40, true,
                                 "Of faces on the same corners one stays, or none where they were a wall inside.", apply_doubled, &did_doubled, nullptr, true};

}  // namespace anvil
