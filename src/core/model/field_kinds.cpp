// Fields of each kind of value: in the file, shown, typed.
#include "base/file_name.h"
#include "cutter/mount.h"
#include "model/field_table.h"
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

constexpr double kSteepestEntry = 45; // degrees that may be typed for a ramp

bool isNone(const std::string& typed, const std::string& none) {
  const std::string t = trimmed(typed);
  return t.empty() || t == none || t == "none";
}

template <class T> const T& of(const Within<T>& at, const Step& s) {
  return at(const_cast<Step&>(s));
}

/// Names of a list of the job, for what is refused.
template <class List> std::string namesOf(const List& list) {
  std::vector<std::string> names;
  for (const auto& one : list) names.push_back(one.name);
  return names.empty() ? "none" : joined(names, "; ");
}

} // namespace

StepField quantityField(StepField f, const GetNumber& get, const PutNumber& put, Quantity q, const std::string& none) {
  const Range range = rangeOf(f.name);
  f.nudge = q == Quantity::Angle ? 0 : q == Quantity::Count ? 1 : none.empty() ? 1.1 : 1;
  f.schema = {{"type", q == Quantity::Count ? "integer" : "number"}, {"minimum", range.least}, {"maximum", range.greatest}};
  f.get = [get, q](const Step& s) {
    const auto v = get(s);
    return !v ? json() : q == Quantity::Count ? json(std::llround(*v)) : json(*v);
  };
  f.read = [put, none, q, n = f.name](Step& s, const Reader& r) {
    const auto v = r.maybe(n.c_str());
    if (v && q == Quantity::Count && *v != std::floor(*v)) r.fail(n.c_str(), "a whole number");
    if (v || !none.empty()) put(s, v);
  };
  f.show = [get, q, none](const Job&, const Step& s, LengthUnit u) {
    const auto v = get(s);
    return v ? showQuantity(*v, q, u) : none;
  };
  f.type = [get, put, q, none, range, label = f.label](Job&, Step& s, const std::string& t, LengthUnit u) {
    if (!none.empty() && isNone(t, none))
      put(s, std::nullopt);
    else
      put(s, readQuantity(t, q, range, u, label, get(s)));
  };
  return f;
}

StepField choiceField(StepField f, const std::function<std::size_t(const Step&)>& get, const std::function<void(Step&, std::size_t)>& put,
                      const std::vector<std::string>& words, bool flag) {
  if (flag) {
    f.schema = {{"type", "boolean"}}, f.words = words;
    f.get = [get](const Step& s) { return json(get(s) == 1); };
    f.read = [get, put, n = f.name](Step& s, const Reader& r) { put(s, r.flag(n.c_str(), get(s) == 1) ? 1 : 0); };
  } else {
    f.schema = {{"enum", words}};
    f.get = [get, words](const Step& s) { return json(words[get(s)]); };
    f.read = [get, put, words, n = f.name](Step& s, const Reader& r) {
      const auto it = std::find(words.begin(), words.end(), r.text(n.c_str(), words[get(s)]));
      if (it == words.end()) r.fail(n.c_str(), ("one of: " + joined(words, ", ")).c_str());
      put(s, static_cast<std::size_t>(it - words.begin()));
    };
  }
  f.show = [get, words](const Job&, const Step& s, LengthUnit) { return words[get(s)]; };
  f.choices = [words](const Job&, const Step&) { return words; };
  f.type = [put, words, flag, label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    std::string word = trimmed(t);
    if (flag && (word == "false" || word == "true")) word = words[word == "true"]; // as in the file
    const auto it = std::find(words.begin(), words.end(), word);
    if (it == words.end()) refuse("\"" + t + "\" is not one of the choices", label, "Choose one of: " + joined(words, "; ") + ".");
    put(s, static_cast<std::size_t>(it - words.begin()));
  };
  return f;
}

StepField pointsField(StepField f, const Within<std::vector<Vec2>>& at) {
  f.schema = {{"type", "array"}, {"items", {{"type", "array"}, {"items", {{"type", "number"}}}, {"minItems", 2}, {"maxItems", 2}}}};
  f.get = [at](const Step& s) {
    json list = json::array();
    for (const Vec2& p : of(at, s)) list.push_back({p.x(), p.y()});
    return list;
  };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return;
    std::vector<Vec2> points;
    for (const json& p : r.list(n.c_str())) {
      if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number()) r.fail(n.c_str(), "a list of [x, y]");
      points.emplace_back(inRange(n, p[0].get<double>(), r.where), inRange(n, p[1].get<double>(), r.where));
    }
    at(s) = std::move(points);
  };
  f.show = [at](const Job&, const Step& s, LengthUnit) {
    std::vector<std::string> l;
    for (const Vec2& p : of(at, s)) l.push_back(plainNumbers({p.x(), p.y()}));
    return l.empty() ? "none" : joined(l, "; ");
  };
  f.type = [at, n = f.name, label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    std::vector<Vec2> points;
    if (!isNone(t, "none"))
      for (const auto& v : readLists(t, 2, label, "Type the places as \"10, 20; 30, 40\"."))
        points.emplace_back(inRange(n, v[0], label), inRange(n, v[1], label));
    at(s) = std::move(points);
  };
  return f;
}

StepField directionsField(StepField f, const Within<std::vector<Vec3>>& at) {
  f.schema = {{"type", "array"}, {"items", {{"type", "array"}, {"items", {{"type", "number"}}}, {"minItems", 3}, {"maxItems", 3}}}};
  f.get = [at](const Step& s) {
    json list = json::array();
    for (const Vec3& a : of(at, s)) list.push_back(triple(a));
    return list;
  };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return;
    std::vector<Vec3> axes;
    for (const json& a : r.list(n.c_str())) {
      const json one{{"axis", a}};
      const Vec3 axis = Reader{one, r.where + ", " + n}.vec("axis", Vec3::Zero());
      if (!(axis.norm() > 1e-9)) r.fail(n.c_str(), "directions");
      axes.push_back(axis.normalized());
    }
    at(s) = std::move(axes);
  };
  f.show = [at](const Job&, const Step& s, LengthUnit) {
    std::vector<std::string> l;
    for (const Vec3& a : of(at, s)) l.push_back(plainNumbers({a.x(), a.y(), a.z()}));
    return l.empty() ? "none" : joined(l, "; ");
  };
  f.type = [at, label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    const std::string good = "Type directions as \"0, 1, 0; 0, -1, 0\", or \"3 sectors about x\".";
    std::vector<Vec3> axes;
    int n = 0;
    char about = 0, behind = 0;
    if (std::sscanf(t.c_str(), " %d sectors about %c %c", &n, &about, &behind) == 2) {
      if (n < 2 || n > 12) refuse(fmt::format("{} sectors are not 2 to 12", n), label, good);
      if (about < 'x' || about > 'z') refuse("\"" + t + "\" names no axis", label, good);
      const Vec3 axis = Vec3::Unit(about - 'x');
      if (std::abs(axis.dot(s.axis)) > 0.99)
        refuse(fmt::format("The step's axis lies along {}", about), label, "Turn about an axis across it.");
      for (int k = 1; k < n; ++k) axes.push_back(Eigen::AngleAxisd(2 * kPi * k / n, axis) * s.axis);
    } else if (!isNone(t, "none")) {
      for (const auto& v : readLists(t, 3, label, good)) {
        const Vec3 a(v[0], v[1], v[2]);
        if (!(a.norm() > 1e-9)) refuse("0, 0, 0 is no direction", label, good);
        axes.push_back(a.normalized());
      }
    }
    at(s) = std::move(axes);
  };
  return f;
}

StepField numbersField(StepField f, const Within<std::vector<int>>& at) {
  f.schema = {{"type", "array"}, {"items", {{"type", "integer"}}}};
  f.get = [at](const Step& s) { return json(of(at, s)); };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return;
    std::vector<int> numbers;
    for (const json& p : r.list(n.c_str())) {
      if (!p.is_number_integer()) r.fail(n.c_str(), "a list of whole numbers");
      numbers.push_back(p.get<int>());
    }
    at(s) = std::move(numbers);
  };
  f.show = [at](const Job&, const Step& s, LengthUnit) {
    const auto& n = of(at, s);
    return n.empty() ? "all" : plainNumbers(std::vector<double>(n.begin(), n.end()));
  };
  f.type = [at, label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    std::vector<int> numbers;
    if (!isNone(t, "all"))
      for (const std::string& one : pieces(t, ','))
        numbers.push_back(static_cast<int>(readQuantity(one, Quantity::Count, {0, 1e6, ""}, LengthUnit::Millimetre, label)));
    at(s) = std::move(numbers);
  };
  return f;
}

namespace {
/// Names of things of the job; none of them: the word `all`.
StepField namesField(StepField f, const Within<std::vector<std::string>>& at, const char* all, const char* one,
                     const std::function<std::vector<std::string>(const Job&)>& there) {
  f.schema = {{"type", "array"}, {"items", {{"type", "string"}}}};
  f.get = [at](const Step& s) { return json(of(at, s)); };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return;
    std::vector<std::string> names;
    for (const json& name : r.list(n.c_str())) {
      if (!name.is_string()) r.fail(n.c_str(), "a list of names");
      names.push_back(name.get<std::string>());
    }
    at(s) = std::move(names);
  };
  f.show = [at, all](const Job&, const Step& s, LengthUnit) { return of(at, s).empty() ? all : joined(of(at, s), ", "); };
  f.type = [at, all, one, there, label = f.label](Job& job, Step& s, const std::string& t, LengthUnit) {
    const std::vector<std::string> known = there(job);
    std::vector<std::string> names;
    for (const std::string& name : pieces(t, ',')) {
      if (name == all) continue;
      if (std::find(known.begin(), known.end(), name) == known.end())
        refuse(std::string("There is no ") + one + " \"" + name + "\"", label,
               std::string("Type one or more of: ") + all + (known.empty() ? "" : "; " + joined(known, "; ")) + ".");
      names.push_back(name);
    }
    at(s) = std::move(names);
  };
  return f;
}

template <class Named> std::vector<std::string> namesIn(const std::vector<Named>& list) {
  std::vector<std::string> out;
  for (const Named& n : list) out.push_back(n.name);
  return out;
}
/// One of some names, or none of them. `what`: what there is none of, when another is typed.
StepField oneNameField(StepField f, const Within<std::string>& at, const char* none, const char* what,
                       std::vector<std::string> (*there)(const Job&)) {
  f.schema = {{"type", "string"}};
  f.get = [at](const Step& s) { return of(at, s).empty() ? json() : json(of(at, s)); };
  f.read = [at, n = f.name](Step& s, const Reader& r) { at(s) = r.text(n.c_str(), ""); };
  f.show = [at, none](const Job&, const Step& s, LengthUnit) { return of(at, s).empty() ? none : of(at, s); };
  f.choices = [none, there](const Job& j, const Step&) {
    std::vector<std::string> l{none};
    for (std::string& name : there(j)) l.push_back(std::move(name));
    return l;
  };
  f.type = [at, none, what, choices = f.choices, label = f.label](Job& j, Step& s, const std::string& t, LengthUnit) {
    const std::string name = trimmed(t);
    const auto known = choices(j, s);
    if (!isNone(name, none) && std::find(known.begin(), known.end(), name) == known.end())
      refuse(std::string("There is no ") + what + " \"" + name + "\"", label, "Choose one of: " + joined(known, "; ") + ".");
    at(s) = isNone(name, none) ? std::string() : name;
  };
  return f;
}
} // namespace

StepField regionsField(StepField f, const Within<std::vector<std::string>>& at) {
  return namesField(std::move(f), at, "all ground", "region", [](const Job& j) { return namesIn(j.regions); });
}

StepField railsField(StepField f, const Within<std::vector<std::string>>& at, const char* none) {
  return namesField(std::move(f), at, none, "rail", [](const Job& j) { return namesIn(j.rails); });
}

StepField ownAllowancesField(StepField f, const Within<std::map<std::string, double>>& at) {
  f.schema = {{"type", "array"},
              {"items",
               {{"type", "object"},
                {"required", {"region", "allowance_mm"}},
                {"properties", {{"region", {{"type", "string"}}}, {"allowance_mm", {{"type", "number"}, {"minimum", 0}}}}}}}};
  f.get = [at](const Step& s) {
    json list = json::array();
    for (const auto& [region, mm] : of(at, s)) list.push_back({{"region", region}, {"allowance_mm", mm}});
    return list;
  };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return;
    std::map<std::string, double> own;
    for (const json& a : r.list(n.c_str())) {
      const Reader one{a, r.where + ", " + n};
      own[one.needText("region")] = one.number("allowance_mm", 0);
    }
    at(s) = std::move(own);
  };
  f.show = [at](const Job&, const Step& s, LengthUnit u) {
    std::vector<std::string> l;
    for (const auto& [region, mm] : of(at, s)) l.push_back(region + " " + plainLength(mm, u, false));
    return l.empty() ? "none" : joined(l, ", ");
  };
  f.type = [at, label = f.label](Job& job, Step& s, const std::string& t, LengthUnit u) {
    std::map<std::string, double> own;
    const Range range = rangeOf("wall_allowance_mm");
    const auto* rough = s.as<LevelRoughing>();
    const double least = rough ? std::max(rough->wall, rough->floor) : range.least;
    if (!isNone(t, "none"))
      for (const std::string& one : pieces(t, ',')) {
        const Region* found = nullptr;
        for (const Region& r : job.regions)
          if (one.starts_with(r.name + " ") && (!found || r.name.size() > found->name.size())) found = &r;
        if (!found)
          refuse("\"" + one + "\" begins with no region of the job", label,
                 "Type a region's name and its allowance: \"bowl 1 mm\". Regions are marked in Study.");
        own[found->name] = readLength(one.substr(found->name.size()), u, false, least, range.greatest, label);
      }
    at(s) = std::move(own);
  };
  return f;
}

StepField tabsField(StepField f, const Within<std::optional<Tabs>>& at) {
  const auto number = [](const char* name, const char* type) {
    const Range range = rangeOf(name);
    return json{{"type", type}, {"minimum", range.least}, {"maximum", range.greatest}};
  };
  f.schema = {{"type", "object"},
              {"properties",
               {{"count", number("count", "integer")},
                {"width_mm", number("width_mm", "number")},
                {"thickness_mm", number("thickness_mm", "number")}}}};
  f.get = [at](const Step& s) {
    const auto& t = of(at, s);
    return t ? json{{"count", t->count}, {"width_mm", t->width}, {"thickness_mm", t->thickness}} : json();
  };
  f.read = [at, n = f.name](Step& s, const Reader& r) {
    if (!r.has(n.c_str())) return at(s).reset();
    const Reader t{r.j[n], r.where + ", " + n};
    const double count = t.number("count", 4);
    if (count != std::floor(count)) t.fail("count", "a whole number from 1 to 100");
    const Tabs tabs{static_cast<int>(count), t.number("width_mm", 6), t.number("thickness_mm", 2)};
    if (!(tabs.width > 0 && tabs.thickness > 0)) t.fail("width_mm", "more than 0, as is thickness_mm");
    at(s) = tabs;
  };
  f.show = [at](const Job&, const Step& s, LengthUnit u) {
    const auto& t = of(at, s);
    return t ? fmt::format("{}, {} wide, {} thick", t->count, plainLength(t->width, u, false), plainLength(t->thickness, u, false))
             : std::string("none");
  };
  f.type = [at, label = f.label](Job&, Step& s, const std::string& t, LengthUnit u) {
    if (isNone(t, "none")) return at(s).reset();
    const auto words = pieces(without(without(t, "wide"), "thick"), ',');
    const auto count = words.size() == 3 ? parseNumber(words[0]) : std::nullopt;
    if (!count || *count < 1 || *count > 100 || *count != std::floor(*count))
      refuse("\"" + t + "\" does not tell tabs", label, "Type how many, how wide and how thick: \"4, 6 mm, 2 mm\".");
    at(s) =
        Tabs{static_cast<int>(*count), readLength(words[1], u, false, 0.1, 200, label), readLength(words[2], u, false, 0.05, 100, label)};
  };
  return f;
}

StepField railField(StepField f, const Within<std::string>& at) {
  return oneNameField(std::move(f), at, "no rail", "closed rail", [](const Job& j) {
    std::vector<std::string> l;
    for (const Rail& r : j.rails)
      if (r.closed) l.push_back(r.name);
    return l;
  });
}

StepField otherCutterField(StepField f, const Within<std::string>& at) {
  return oneNameField(std::move(f), at, "none", "cutter", [](const Job& j) { return namesIn(j.cutters); });
}

StepField textField(StepField f, const Within<std::string>& at) {
  f.schema = {{"type", "string"}};
  f.get = [at](const Step& s) { return json(of(at, s)); };
  f.read = [at, n = f.name](Step& s, const Reader& r) { at(s) = r.text(n.c_str(), of(at, s)); };
  f.show = [at](const Job&, const Step& s, LengthUnit) { return of(at, s); };
  f.type = [at, label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    if (trimmed(t).empty()) refuse("Nothing was typed", label, "Type a few words.");
    at(s) = trimmed(t);
  };
  return f;
}

StepField fileField(StepField f, const Within<std::string>& at) {
  f = textField(std::move(f), at);
  f.get = [at](const Step& s) { return fileNameToJson(of(at, s)); };
  f.read = [at, n = f.name](Step& s, const Reader& r) { at(s) = fileNameFromJson(r.text(n.c_str(), "")); };
  return f;
}

StepField promiseField(const char* name, bool needed, const char* also) {
  const PromiseKind& kind = promiseKind(name);
  StepField f;
  f.id = f.name = name, f.group = "promises", f.label = kind.title, f.promise = true, f.needed = needed;
  f.help = std::string(kind.help) + (also ? std::string(" ") + also : "");
  const auto value = kind.value;
  const bool angle = kind.angle();
  f = quantityField(
      std::move(f),
      [value, angle](const Step& s) {
        const auto& v = s.promises.*value;
        return v && angle ? std::optional(tidy(degrees(*v))) : v;
      },
      [value, angle](Step& s, const std::optional<double>& v) { s.promises.*value = v && angle ? std::optional(radians(*v)) : v; },
      angle       ? Quantity::Angle
      : kind.fine ? Quantity::FineLength
                  : Quantity::Length,
      "not promised");
  f.nudge = 1.1;
  f.type = [type = f.type, needed, label = f.label](Job& j, Step& s, const std::string& t, LengthUnit u) {
    const std::string plain = trimmed(without(without(t, "at most"), "at least"));
    if (needed && isNone(plain, "not promised"))
      refuse("A step of this kind cannot go without it", label, "Type what it promises, for instance 2 um.");
    type(j, s, plain, u);
  };
  return f;
}

StepField entryField(const char* name) {
  const PromiseKind& kind = promiseKind(name);
  StepField f;
  f.id = f.name = name, f.label = kind.title, f.help = kind.help, f.promise = true, f.stored = false, f.nudge = 1.1;
  f.get = [](const Step&) { return json(); };
  f.read = [](Step&, const Reader&) {};
  f.show = [](const Job& j, const Step& s, LengthUnit) { return fmt::format("{:.3g}°", degrees(j.cutter(s.cutter).rampAngle)); };
  f.type = [label = f.label](Job& j, Step& s, const std::string& t, LengthUnit) {
    const double angle = readAngle(without(t, "at most"), 0, kSteepestEntry, label);
    for (Cutter& c : j.cutters)
      if (c.name == s.cutter) c.rampAngle = angle;
  };
  return f;
}

std::vector<StepField> loadFields(bool follows) {
  std::vector<StepField> out;
  FieldTable<Step> t(out, [](Step& s) -> Step& { return s; });
  if (follows)
    t.choice(
        "feed_by_load", &Step::feedByLoad, "feed along the path",
        "By the measured load it is slower where force, torque or chip would go over a limit, and up to twice as fast where the chip is "
        "thin. The path stays. Needs the material; in finishing steps an engagement that is promised, too.",
        {"the same all along", "by the measured load"});
  t.force("most_force_N", &Step::mostForce, "largest force",
          "Of the cut, in N: what grip, work or cutter can take. Empty: no limit; the spindle's torque always is one.");
  t.length("most_bend_mm", &Step::mostBend, "cutter bends at most",
           "How far the cutter's tip may give way under the force. Less than the wall allowance keeps it off the part. Empty: no limit.");
  return out;
}

} // namespace hemline
