#include "part/step_outline.h"
#include "base/units.h"
#include <charconv>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string_view>
#include <unordered_map>

namespace hemline {
namespace {

constexpr double kPiece = kPi / 18; // of a circle

/// Parts of an entity's arguments at their outermost level.
std::vector<std::string_view> argumentsOf(std::string_view s) {
  std::vector<std::string_view> out;
  int depth = 0;
  bool quoted = false;
  std::size_t from = 0;
  for (std::size_t i = 0; i <= s.size(); ++i) {
    if (i == s.size() || (s[i] == ',' && depth == 0 && !quoted)) {
      std::string_view a = s.substr(from, i - from);
      while (!a.empty() && std::isspace(static_cast<unsigned char>(a.front()))) a.remove_prefix(1);
      while (!a.empty() && std::isspace(static_cast<unsigned char>(a.back()))) a.remove_suffix(1);
      out.push_back(a);
      from = i + 1;
    } else if (s[i] == '\'')
      quoted = !quoted;
    else if (!quoted)
      depth += s[i] == '(' ? 1 : s[i] == ')' ? -1 : 0;
  }
  return out;
}

std::string_view inside(std::string_view s) {
  return s.size() >= 2 && s.front() == '(' && s.back() == ')' ? s.substr(1, s.size() - 2) : std::string_view();
}

class Outline {
public:
  explicit Outline(std::string_view text) { collect(text); }

  std::vector<std::vector<Vec3>> lines() const {
    std::vector<std::vector<Vec3>> out;
    for (const auto& [id, e] : entities_) {
      if (e.name != "EDGE_CURVE") continue;
      const auto a = argumentsOf(e.arguments);
      if (a.size() < 5) continue;
      const auto from = vertex(a[1]), to = vertex(a[2]);
      if (!from || !to) continue;
      std::vector<Vec3> line = along(a[3], *from, *to, a[4] != ".F.");
      if (line.size() < 2) line = {*from, *to};
      out.push_back(std::move(line));
    }
    return out;
  }

private:
  struct Entity {
    std::string_view name, arguments;
  };

  void collect(std::string_view s) {
    std::size_t i = 0;
    while ((i = s.find('#', i)) != std::string_view::npos) {
      std::uint32_t id = 0;
      const auto number = std::from_chars(s.data() + i + 1, s.data() + s.size(), id);
      i = static_cast<std::size_t>(number.ptr - s.data());
      const auto blank = [&] {
        while (i < s.size() && std::isspace(static_cast<unsigned char>(s[i]))) ++i;
      };
      blank();
      if (number.ec != std::errc() || i >= s.size() || s[i] != '=') continue;
      ++i, blank();
      const std::size_t name = i;
      while (i < s.size() && (std::isalnum(static_cast<unsigned char>(s[i])) || s[i] == '_')) ++i;
      const std::string_view what = s.substr(name, i - name);
      blank();
      bool quoted = false;
      std::size_t end = i;
      while (end < s.size() && (quoted || s[end] != ';')) quoted = quoted != (s[end] == '\''), ++end;
      std::string_view all = s.substr(i, end - i);
      while (!all.empty() && std::isspace(static_cast<unsigned char>(all.back()))) all.remove_suffix(1);
      if (what.empty()) // several at once: a rational spline says its points under BOUNDED or B_SPLINE_CURVE
        compound(id, all);
      else
        entities_[id] = {what, inside(all)};
      i = end;
    }
  }

  void compound(std::uint32_t id, std::string_view all) {
    const std::size_t at = all.find("B_SPLINE_CURVE(");
    if (at == std::string_view::npos) return;
    int depth = 0;
    for (std::size_t k = at + 14; k < all.size(); ++k)
      if (depth += all[k] == '(' ? 1 : all[k] == ')' ? -1 : 0; depth == 0) {
        entities_[id] = {"B_SPLINE_CURVE", all.substr(at + 15, k - at - 15)};
        return;
      }
  }

  const Entity* find(std::string_view ref) const {
    std::uint32_t id = 0;
    if (ref.empty() || ref.front() != '#' || std::from_chars(ref.data() + 1, ref.data() + ref.size(), id).ec != std::errc()) return nullptr;
    const auto e = entities_.find(id);
    return e == entities_.end() ? nullptr : &e->second;
  }

  /// Coordinates of a point or a direction.
  std::optional<Vec3> triple(std::string_view ref) const {
    const Entity* e = find(ref);
    if (!e || (e->name != "CARTESIAN_POINT" && e->name != "DIRECTION")) return std::nullopt;
    const auto a = argumentsOf(e->arguments);
    if (a.size() < 2) return std::nullopt;
    const auto c = argumentsOf(inside(a[1]));
    if (c.size() != 3) return std::nullopt;
    Vec3 out;
    for (std::size_t k = 0; k < 3; ++k)
      if (std::from_chars(c[k].data(), c[k].data() + c[k].size(), out[static_cast<Eigen::Index>(k)]).ec != std::errc()) return std::nullopt;
    return out.allFinite() ? std::optional(out) : std::nullopt;
  }

  std::optional<Vec3> vertex(std::string_view ref) const {
    const Entity* e = find(ref);
    if (!e || e->name != "VERTEX_POINT") return std::nullopt;
    const auto a = argumentsOf(e->arguments);
    return a.size() < 2 ? std::nullopt : triple(a[1]);
  }

  std::vector<Vec3> along(std::string_view ref, const Vec3& from, const Vec3& to, bool same, int depth = 0) const {
    const Entity* e = find(ref);
    if (!e || depth > 4) return {};
    const auto a = argumentsOf(e->arguments);
    if ((e->name == "SURFACE_CURVE" || e->name == "SEAM_CURVE" || e->name == "INTERSECTION_CURVE" || e->name == "TRIMMED_CURVE") &&
        a.size() > 1)
      return along(a[1], from, to, same, depth + 1);
    if (e->name == "CIRCLE" && a.size() > 2) return round(a[1], a[2], a[2], from, to, same);
    if (e->name == "ELLIPSE" && a.size() > 3) return round(a[1], a[2], a[3], from, to, same);
    if (e->name.starts_with("B_SPLINE_CURVE") || e->name == "BEZIER_CURVE" || e->name == "QUASI_UNIFORM_CURVE") {
      // Named ones begin with a label, those within several do not: the first list is of the points.
      std::vector<Vec3> out{same ? from : to};
      for (const std::string_view arg : a) {
        if (arg.empty() || arg.front() != '(') continue;
        for (const std::string_view p : argumentsOf(inside(arg)))
          if (const auto at = triple(p)) out.push_back(*at);
        break;
      }
      out.push_back(same ? to : from);
      return out;
    }
    return {};
  }

  /// From one place to the other about the axis of the placement; all round where they are one.
  std::vector<Vec3> round(std::string_view placement, std::string_view first, std::string_view second, const Vec3& from, const Vec3& to,
                          bool same) const {
    const Entity* e = find(placement);
    if (!e || e->name != "AXIS2_PLACEMENT_3D") return {};
    const auto a = argumentsOf(e->arguments);
    const auto number = [](std::string_view s) {
      double v = 0;
      return std::from_chars(s.data(), s.data() + s.size(), v).ec == std::errc() ? v : 0.0;
    };
    const double r1 = number(first), r2 = number(second);
    const auto middle = a.size() > 1 ? triple(a[1]) : std::nullopt;
    const Vec3 z = (a.size() > 2 ? triple(a[2]) : std::nullopt).value_or(Vec3::UnitZ()).normalized();
    Vec3 x = (a.size() > 3 ? triple(a[3]) : std::nullopt).value_or(Vec3::UnitX());
    x -= x.dot(z) * z;
    if (!middle || !(r1 > 0 && r2 > 0) || !(x.norm() > 1e-9)) return {};
    x.normalize();
    const Vec3 y = z.cross(x);
    const auto angle = [&](const Vec3& p) { return std::atan2((p - *middle).dot(y) / r2, (p - *middle).dot(x) / r1); };
    const double begin = angle(same ? from : to);
    double turn = angle(same ? to : from) - begin;
    while (turn <= 1e-9) turn += 2 * kPi;
    const int n = std::max(2, static_cast<int>(std::ceil(turn / kPiece)));
    std::vector<Vec3> out;
    for (int k = 0; k <= n; ++k) {
      const double t = begin + turn * k / n;
      out.push_back(*middle + r1 * std::cos(t) * x + r2 * std::sin(t) * y);
    }
    return out;
  }

  std::unordered_map<std::uint32_t, Entity> entities_;
};

} // namespace

std::vector<std::vector<Vec3>> stepOutline(const std::string& text) {
  return Outline(text).lines();
}

} // namespace hemline
