// SPDX-License-Identifier: GPL-3.0-or-later
// Sorting by a vertex or another number from a known range: each item goes to its number's bucket at once, and only what
// shares a bucket is compared.
#pragma once

#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <vector>

#include "core/types.h"

namespace anvil {

/// Sorts items by `key`; those with one key stay in their order.
/// @param keys  every key is smaller
/// @return where each key's items begin: those of k are [start[k], start[k + 1])
template <class T, class Key>
std::vector<Index> counting_sort(std::vector<T>& items, std::size_t keys, Key&& key) {
  std::vector<Index> start(keys + 2, 0);
  for (const T& item : items) ++start[key(item) + 2];
  for (std::size_t k = 2; k < start.size(); ++k) start[k] += start[k - 1];
  // Filling a bucket moves start[k + 1] from its begin to its end, which is where the next one begins.
  std::vector<T> sorted(items.size());
  for (const T& item : items) sorted[start[key(item) + 1]++] = item;
  start.pop_back();
  items.swap(sorted);
  return start;
}

/// The same, and those with one key by operator<.
template <class T, class Key>
std::vector<Index> bucket_sort(std::vector<T>& items, std::size_t keys, Key&& key) {
  const std::vector<Index> start = counting_sort(items, keys, key);
  constexpr std::size_t keys_at_once = 512;
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, keys, keys_at_once), [&](const auto& range) {
    for (std::size_t k = range.begin(); k < range.end(); ++k)
      if (start[k + 1] - start[k] > 1) std::sort(items.begin() + start[k], items.begin() + start[k + 1]);
  });
  return start;
}

/// Sorts items by operator<, which compares `key` first.
template <class T, class Key>
void sort_by_bucket(std::vector<T>& items, std::size_t keys, Key&& key) {
  constexpr std::size_t worth_it = 16;  // few items among many keys are sorted sooner than the keys are counted
  if (items.size() * worth_it < keys)
    tbb::parallel_sort(items.begin(), items.end());
  else
    bucket_sort(items, keys, key);
}

}  // namespace anvil
