// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/fresh_edges.h"

#include <fmt/format.h>

#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "cli/output.h"
#include "core/io/bytes.h"
#include "job/file/json_text.h"

namespace anvil::cli {

std::string fresh_edges_file(const std::string& path) { return path + ".fresh"; }

namespace {

/// FNV-1a, 64 bits: tells files apart that people mix up, not ones that somebody made alike.
std::string checksum(std::string_view bytes) {
  std::uint64_t sum = 14695981039346656037u;
  for (const char c : bytes) sum = (sum ^ static_cast<unsigned char>(c)) * 1099511628211u;
  return fmt::format("{:016x}", sum);
}

using Key = std::array<float, 3>;
/// As far as every format holds it.
Key key_of(const Vec3& p) { return {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z())}; }

std::map<Key, Index> vertices_by_place(const Mesh& mesh) {
  std::map<Key, Index> vertices;
  for (Index v : mesh.corners) vertices.emplace(key_of(mesh.positions[v]), v);
  return vertices;
}

constexpr const char* mark = "fresh_edges_of";

/// Is there a file that was not written here?
bool is_foreign(const std::string& path) {
  std::error_code error;
  if (!std::filesystem::exists(path, error)) return false;
  const Result<FileBytes> text = FileBytes::read(path);
  if (!text) return true;
  try {
    const nlohmann::json document = parse_json(text->view(), path);
    return !document.is_object() || !document.contains(mark);
  } catch (const BadFile&) {
    return true;
  }
}

}  // namespace

PlacedEdges placed(const Mesh& mesh, const std::vector<std::array<Index, 2>>& edges) {
  PlacedEdges all;
  for (const auto& [v, w] : edges) all.push_back({mesh.positions[v], mesh.positions[w]});
  return all;
}

Result<bool> write_fresh_edges(const std::string& output, const Mesh& mesh, const PlacedEdges& edges) {
  const std::map<Key, Index> vertices = vertices_by_place(mesh);
  nlohmann::json list = nlohmann::json::array();
  for (const auto& [a, b] : edges)
    if (vertices.count(key_of(a)) > 0 && vertices.count(key_of(b)) > 0) list.push_back({a.x(), a.y(), a.z(), b.x(), b.y(), b.z()});
  if (is_foreign(fresh_edges_file(output))) {
    if (!list.empty()) say_notes(fresh_edges_file(output), {"is something else, which stays: the fresh edges are not handed on"});
    return true;
  }
  std::error_code ignored;
  if (list.empty()) {
    std::filesystem::remove(fresh_edges_file(output), ignored);
    return true;
  }
  const Result<FileBytes> bytes = FileBytes::read(output);
  if (!bytes) return bytes.issue();
  const nlohmann::json document = {{mark, std::filesystem::path(output).filename().string()}, {"checksum", checksum(bytes->view())}, {"edges", list}};
  const auto written = write_bytes(fresh_edges_file(output), document.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
  if (!written) return written.issue();
  return true;
}

std::vector<std::array<Index, 2>> read_fresh_edges(const std::string& input, const Mesh& mesh) try {
  std::error_code error;
  if (!std::filesystem::exists(fresh_edges_file(input), error)) return {};
  const Result<FileBytes> text = FileBytes::read(fresh_edges_file(input)), bytes = FileBytes::read(input);
  if (!text || !bytes) return {};
  const nlohmann::json document = parse_json(text->view(), fresh_edges_file(input));
  if (!document.is_object() || document.value("checksum", "") != checksum(bytes->view()) || !document.contains("edges") || !document["edges"].is_array()) return {};
  const std::map<Key, Index> vertices = vertices_by_place(mesh);
  std::vector<std::array<Index, 2>> edges;
  for (const nlohmann::json& edge : document["edges"]) {
    if (!edge.is_array() || edge.size() != 6 || !std::all_of(edge.begin(), edge.end(), [](const nlohmann::json& x) { return x.is_number(); })) return {};
    const auto at = [&](std::size_t first) { return vertices.find(key_of(Vec3(edge[first].get<double>(), edge[first + 1].get<double>(), edge[first + 2].get<double>()))); };
    const auto a = at(0), b = at(3);
    if (a != vertices.end() && b != vertices.end() && a != b) edges.push_back({std::min(a->second, b->second), std::max(a->second, b->second)});
  }
  return edges;
} catch (const BadFile&) {
  return {};  // of something else
}

}  // namespace anvil::cli
