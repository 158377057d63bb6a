// A key cannot lie: every field of job, step, cutter, holder, machine, clamping, fixture, region, rail, material and stock is changed in
// turn, and what remembered results then answer is held against what is computed from nothing.
//
// The fields come from the schema (docs/job.schema.json, which a test of its own holds against what is written), those of a machine from
// its file: a new field is here by itself, and fails until it is told what it must change.
#include "job/sample_jobs.h"
#include <QtTest>
#include <regex>

using namespace hemline;
using nlohmann::json;

namespace {

/// A leaf of the document: where it is, and what it is like without its numbers ("/steps[]/depth_mm").
struct Leaf {
  std::string at, like;
  json schema;
};

/// The alternative of a schema that a value is of: by its kind.
const json& schemaOf(const json& schema, const json& value) {
  if (schema.contains("oneOf") && value.is_object())
    for (const json& one : schema["oneOf"])
      if (one["properties"]["kind"]["const"] == value["kind"]) return one;
  return schema;
}

void leavesOf(const json& anySchema, const json& value, const std::string& at, const std::string& above, std::vector<Leaf>& out) {
  const json& schema = schemaOf(anySchema, value);
  const std::string like = &schema == &anySchema ? above : above + "(" + value["kind"].get<std::string>() + ")";
  if (value.is_object() && schema.contains("properties")) {
    for (const auto& [key, v] : value.items())
      if (schema["properties"].contains(key)) leavesOf(schema["properties"][key], v, at + "/" + key, like + "/" + key, out);
  } else if (value.is_array()) {
    for (std::size_t i = 0; i < value.size(); ++i)
      leavesOf(schema.contains("items") ? schema["items"] : json::object(), value[i], at + "/" + std::to_string(i), like + "[]", out);
  } else {
    out.push_back({at, like, schema});
  }
}

/// All leaves that the schema knows.
void leavesOf(const json& schema, const std::string& like, std::set<std::string>& out) {
  if (schema.contains("oneOf") && schema["oneOf"][0].contains("properties"))
    for (const json& one : schema["oneOf"]) leavesOf(one, like + "(" + one["properties"]["kind"]["const"].get<std::string>() + ")", out);
  else if (schema.contains("properties"))
    for (const auto& [key, s] : schema["properties"].items()) leavesOf(s, like + "/" + key, out);
  else if (schema.contains("items"))
    leavesOf(schema["items"], like + "[]", out);
  else
    out.insert(like);
}

} // namespace

class TestKeys : public QObject, SampleJobs {
  Q_OBJECT
  std::map<std::string, std::set<std::string>> changed_; ///< by kind of field: what came out otherwise
  std::map<std::string, int> taken_;                     ///< how often it was changed

  static json schema() { return json::parse(readFile(HEMLINE_SOURCE "/docs/job.schema.json")); }

  /// Other values that the leaf may take, the likeliest first.
  std::vector<json> others(const json& job, const Leaf& leaf) const {
    const json now = job[json::json_pointer(leaf.at)];
    std::vector<json> out;
    if (leaf.schema.contains("enum")) {
      for (const json& e : leaf.schema["enum"])
        if (e != now) out.push_back(e);
    } else if (leaf.schema.contains("const")) {
      // the kind of a step: another one is another step
    } else if (now.is_boolean()) {
      out.push_back(!now.get<bool>());
    } else if (now.is_number()) {
      const double v = now.get<double>();
      if (now.is_number_integer())
        for (const int step : {1, -1, 90, 180}) out.push_back(now.get<int>() + step);
      for (const double f : {1.1, 0.9, 1.4, 0.7, 2.0, 0.4}) out.push_back(v * f);
      for (const double step : {0.01, -0.01, 0.2, -0.2, 3.0, -3.0}) out.push_back(v + step);
    } else if (now.is_string()) {
      const std::string field = leaf.at.substr(leaf.at.find_last_not_of("/0123456789") - 1);
      for (const char* list : {"cutters", "holders", "regions", "rails"})
        for (const json& one : job.value(list, json::array()))
          if (one["name"] != now) out.push_back(one["name"]);
      out.push_back(now.get<std::string>() + "2");
      out.push_back("other-" + now.get<std::string>());
    }
    std::erase(out, now);
    return out;
  }

  /// What comes of a job; what it is refused with where it cannot be computed.
  Digest outcome(const json& job, const std::string& jobPath, Evaluator& evaluator, std::string& refused) {
    Progress quiet;
    refused.clear();
    try {
      const Job read = jobFromJson(job, "job");
      return digestOf(read, evaluator.evaluate(read, jobPath, quiet), judged_);
    } catch (const Error& e) {
      refused = e.what();
    }
    return {};
  }

  static std::set<std::string> differing(const Digest& a, const Digest& b) {
    std::set<std::string> names;
    for (const Digest* d : {&a, &b})
      for (const auto& [what, key] : *d) names.insert(what);
    std::erase_if(names, [&](const std::string& what) { return a.count(what) && b.count(what) && a.at(what) == b.at(what); });
    return names;
  }

  /// Holds what is remembered against what is computed from nothing; returns what is another than `was`, or nothing if it was refused.
  std::optional<std::set<std::string>> changes(const json& job, const std::string& what, Evaluator& remembering, const Digest& was) {
    Evaluator fresh;
    std::string refused, refusedFresh;
    const Digest computed = outcome(job, jobPath(), fresh, refusedFresh), remembered = outcome(job, jobPath(), remembering, refused);
    if (refused != refusedFresh) {
      wrong_.push_back(what + ": '" + refused + "' remembered, '" + refusedFresh + "' computed");
      return std::nullopt;
    }
    if (!refused.empty()) return std::nullopt;
    for (const std::string& lie : differing(computed, remembered)) wrong_.push_back(what + ": is remembered falsely: " + lie);
    for (std::size_t k = 0; k < std::min(judged_.size(), before_.size()); ++k)
      if (judged_[k].content == before_[k].content && !(judged_[k].measured == before_[k].measured))
        wrong_.push_back(what + ": a waiver would outlive what it was given for");
    return differing(computed, was);
  }
  std::vector<std::string> wrong_;
  std::vector<Judged> judged_, before_; ///< of the last job, and of the one that is changed

  /// What a change of a field must show in, and must not; the first that fits counts. Every other field must show in something.
  struct Rule {
    const char* fields; ///< regular expression
    std::set<std::string> must, never;
    bool nothing = false; ///< it changes nothing that is computed
  };
  static const std::vector<Rule>& rules() {
    static const std::vector<Rule> all{
        // On grounds as small as these:
        {R"(/steps\[\]\((constant-cusp|constant-spacing|level) passes\)/spiral)",
         {},
         {},
         true}, // loops do not nest: tst_front_passes, tst_propose_finish
        {R"(/steps\[\]\((along-a-rail|constant-cusp|constant-spacing|level|rail-to-rail) passes\)/most_bend_mm)",
         {},
         {},
         true}, // it bends less
        {R"(/steps\[\]\((along-a-rail passes|level passes|two-lay finish)\)/regions\[\])",
         {},
         {},
         true},                                                                     // both regions are the same facets
        {R"(/steps\[\]\(along-a-rail passes\)/slope_(from|to)_deg)", {}, {}},       // more ground, and the same strip
        {R"(/steps\[\]\(flow passes\)/slope_to_deg)", {}, {}, true},                // nothing is so steep
        {R"(/steps\[\]\(two-lay finish\)/slope_from_deg)", {}, {}, true},           // the split comes first
        {R"(/steps\[\]\(corner passes\)/zigzag)", {}, {}, true},                    // there is one pass
        {R"(/steps\[\]\(clean-up passes\)/end_(radius_mm|arc_deg))", {}, {}, true}, // in the groove no arc is free: tst_points
        {R"(/steps\[\]\(clean-up passes\)/chord_mm)", {}, {}, true},                // its passes are straight there
        {R"(/steps\[\]\(clean-up passes\)/left_more_than_mm)", {}, {}}, // in so narrow a groove the path is its valley's line: tst_job
        {R"(/steps\[\]\((two-lay finish|(?!parallel)[a-z-]+ passes)\)/virtual_fillet.*)",
         {},
         {},
         true}, // all finishing kinds share it: looked at on parallel passes, the others take too long
        {R"(/steps\[\]\((corner|clean-up) passes\)/fewest_points)", {}, {}, true}, // and its blocks as long as can be
        {R"(/steps\[\]\((corner|clean-up) passes\)/cutter)", {}, {}, true},        // the others meet no corner
        {".*/promises/(gouge|clearance|rest|engagement|layer)_.*", {"promises"}, {"path", "cut", "time"}},
        {".*/promises/cusp_mm", {"promises"}, {}},
        {".*/as_set/(diameter|runout|length_off)_mm", {}, {"path", "time", "conditions"}},
        {".*/as_set/stick_out_mm", {}, {"path", "time", "conditions"}, true}, // the holder is far away in these jobs
        {R"(.*/(axis|clamping)(\[\])?)", {}, {}, true},
        {R"(/steps\[\]\(level roughing\)/allowances.*)", {}, {}, true}, // the cutter comes to none here: tst_rough_steps
        {R"(/rails\[\]/places.*)", {}, {}, true},                       // borders follow whole facets: tst_regions
        {R"(/steps\[\]\((given path|two-lay finish|.* passes)\)/most_force_N)", {}, {}, true},      // the cutter's bending comes first here
        {R"(/regions\[\]/pieces\[\]/(from|to)_mm)", {}, {}, true},                                  // the dish has one radius
        {R"(/steps\[\]\(level roughing\)/within_reach)", {}, {}, true},                             // the holder again
        {R"(/steps\[\]\(two-lay finish\)/(axis_follows_surface|lead_deg|tilt_deg))", {}, {}, true}, // it stays upright
        {R"(/steps\[\]\((clean-up|flow) passes\)/(axis_follows_surface|lead_deg|tilt_deg))",
         {},
         {},
         true},                                                                          // their proof takes too long here
        {R"(/steps\[\]\((corner|clean-up) passes\)/slope_(from|to)_deg)", {}, {}, true}, // one slope has all of their ground
        {R"(/steps\[\]\((corner|clean-up) passes\)/contact_feed)", {}, {}, true},        // their groove is straight
        {R"(/steps\[\]\(.*\)/(own_program|note|patches|kind)(\[\])?)", {}, {}, true},
        {R"(/steps\[\]\((drilling|given path)\)/cutter)", {}, {}, true},
        {R"(/steps\[\]\(.*\)/(name|holder|stick_out_mm))", {}, {}},
        {R"(/steps\[\]\(.*\)/(most_force_N|most_bend_mm|feed_by_load|from_blank))", {}, {"cut", "clearance"}},
        {R"(/steps\[\]\(given path\)/(path_file|program_tool))", {"path"}, {}},
        {R"(/steps\[\]\(given path\)/.*)", {}, {}},
        {R"(/steps\[\]\(.*\)/(rpm|feed_mm_min))", {"conditions", "path"}, {"surface"}},
        {R"(/steps\[\]\(.*\)/.*)", {"path"}, {}},
        {"/(hemline_job|part/hash|part/unit|tool_centre_point|program_unit|waivers.*|variants.*|stock/along)",
         {},
         {},
         true}, // programs and release are not looked at here
        {R"(/(material/(name|density.*)|clampings\[\]/(name|datum|outside/(what|least_mm))|rails\[\]/from))", {}, {"path", "cut"}, true},
        {R"(/clampings\[\]/fixtures\[\]/(name|force_N|friction|most_opening_mm))", {}, {"path", "cut", "time"}, true},
        {R"(/clampings\[\]/(fixtures|tailstock).*)", {}, {}, true}, // far away, too
        {R"(/cutters\[\]/(diameter|corner|teeth|cutting_speed|feed_per_tooth|profile_radius|kind).*)", {"path"}, {}},
        {R"(/(cutters|holders)\[\]/.*)", {}, {}, true},
        {R"(/regions\[\]/pieces\[\]/name)", {}, {}, true}, // only told where the patch is lost
        {R"(/regions\[\]/(name|finish_mm|tolerance_mm))", {}, {"path", "cut", "surface"}},
        {"/leave_slope_from_deg", {"coverage"}, {"path"}},
        {"/uncertainty_mm", {"clearance"}, {"path"}},
        {R"(/clampings\[\]/finding/.*)", {}, {"path"}, true},
        {"/safe_gap_mm", {"path"}, {}},
    };
    return all;
  }
  static const Rule& ruleFor(const std::string& like) {
    static const Rule rest{".*", {}, {}};
    const auto fits = [&](const Rule& r) { return std::regex_match(like, std::regex(r.fields)); };
    const auto first = std::find_if(rules().begin(), rules().end(), fits);
    return first == rules().end() ? rest : *first;
  }
  static std::string heldAgainst(const std::string& like, int taken, const std::set<std::string>& changed) {
    const Rule* rule = &ruleFor(like);
    std::string says;
    if (taken == 0 && !rule->nothing) says += "was changed nowhere; ";
    if (changed.empty() && !rule->nothing) says += "changes nothing; ";
    for (const std::string& m : rule->must)
      if (taken > 0 && !changed.count(m)) says += "does not change " + m + "; ";
    for (const std::string& n : rule->never)
      if (changed.count(n)) says += "changes " + n + "; ";
    return says;
  }

private slots:
  void everyFieldIsInTheKeysOfWhatItChanges_data() {
    QTest::addColumn<int>("sample");
    for (int k = 0; const Sample& sample : samples()) QTest::newRow(sample.name.c_str()) << k++;
  }
  void everyFieldIsInTheKeysOfWhatItChanges() {
    QFETCH(int, sample);
    const Sample s = samples()[static_cast<std::size_t>(sample)];
    constexpr int kOften = 12, kSeldom = 3; // times that a field is changed which shows no effect; that need not show any
    const json base = toJson(jobFromJson(s.job, s.name));
    Evaluator remembering;
    std::string refused;
    const Digest was = outcome(base, jobPath(), remembering, refused);
    before_ = judged_;
    QVERIFY2(refused.empty(), refused.c_str());
    std::vector<Leaf> leaves;
    leavesOf(schema(), base, "", "", leaves);
    for (const Leaf& leaf : leaves) {
      std::set<std::string>& changed = changed_[leaf.like];
      int& taken = taken_[leaf.like];
      const bool need = !ruleFor(leaf.like).nothing;
      if (leaf.like == "/hemline_job" || leaf.like == "/part/hash" || !changed.empty() || taken >= (need ? kOften : kSeldom)) continue;
      for (const json& value : others(base, leaf)) {
        json job = base;
        job[json::json_pointer(leaf.at)] = value;
        const auto now = changes(job, leaf.at + " = " + value.dump(), remembering, was);
        if (!now) continue; // refused, with and without memory
        changed.insert(now->begin(), now->end());
        if (++taken % 3 == 0 || !now->empty() || !need) break;
      }
    }
    for (const std::string& w : wrong_) qWarning("%s", w.c_str());
    QVERIFY(wrong_.empty());
  }

  void everyFieldShowsInWhatItMust() {
    std::set<std::string> all;
    leavesOf(schema(), "", all);
    int missing = 0;
    for (const std::string& like : all)
      if (const std::string says = heldAgainst(like, taken_[like], changed_[like]); !says.empty()) {
        qWarning("%s: %s", like.c_str(), says.c_str());
        ++missing;
      }
    QCOMPARE(missing, 0);
  }

  /// What stands in files beside the job: the same names, other contents.
  void everyFileIsInTheKeysOfWhatItChanges() {
    std::set<std::string> shown; // something comes of it
    for (const Sample& sample : samples()) {
      const json base = toJson(jobFromJson(sample.job, sample.name));
      const std::string used = base.dump();
      Evaluator remembering;
      std::string refused;
      const Digest was = outcome(base, jobPath(), remembering, refused);
      before_ = judged_;
      for (const char* name : {"dish.stl", "blank.stl", "jaw.stl", "given.nc", "mill.json", "mill5.json"}) {
        if (used.find(std::string("\"") + name + "\"") == std::string::npos) continue;
        const std::string before = readFile(path(name));
        writeFileSafely(path(name), readFile(path(std::string("other-") + name)));
        const auto now = changes(base, sample.name + std::string(", ") + name, remembering, was);
        writeFileSafely(path(name), before);
        if (now && !now->empty()) shown.insert(name);
      }
    }
    for (const std::string& w : wrong_) qWarning("%s", w.c_str());
    QVERIFY(wrong_.empty());
    QCOMPARE(shown, (std::set<std::string>{"blank.stl", "dish.stl", "given.nc", "jaw.stl", "mill.json", "mill5.json"}));
  }

  void theUnitOfAModelIsInTheKeys() {
    Sample sample = samples()[0]; // a bar, which holds the small part, too
    json base = toJson(jobFromJson(sample.job, sample.name));
    base["steps"].erase(1);
    Evaluator remembering;
    std::string refused;
    const Digest was = outcome(base, jobPath(), remembering, refused);
    before_ = judged_;
    base["part"]["unit"] = "mm";
    const auto now = changes(base, "unit", remembering, was);
    QVERIFY(now && now->count("path") && now->count("coverage") && wrong_.empty());
  }

  void everyNumberOfAMachineIsInTheKeys() {
    const Sample sample = samples()[1]; // on five axes
    const std::string file = path("mill5.json"), before = readFile(file);
    const json base = toJson(jobFromJson(sample.job, sample.name)), machine = json::parse(before);
    Evaluator remembering;
    std::string refused;
    const Digest was = outcome(base, jobPath(), remembering, refused);
    before_ = judged_;
    std::size_t effects = 0;
    const json flat = machine.flatten();
    for (const auto& [at, value] : flat.items()) {
      if (!value.is_number() && !value.is_boolean()) continue; // its name and the kind of its chain
      json other = machine;
      if (value.is_boolean())
        other[json::json_pointer(at)] = !value.get<bool>();
      else
        other[json::json_pointer(at)] = value.get<double>() * 1.1 + 0.01;
      writeFileSafely(file, other.dump());
      const auto now = changes(base, "machine" + at, remembering, was);
      effects += now && !now->empty();
    }
    writeFileSafely(file, before);
    for (const std::string& w : wrong_) qWarning("%s", w.c_str());
    QVERIFY(wrong_.empty() && effects > 15);
  }
};

QTEST_APPLESS_MAIN(TestKeys)
#include "tst_keys.moc"
