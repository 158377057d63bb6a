// Damaged jobs: cut short anywhere, spoilt anywhere, with entries that are not what they must be.
#include "base/file.h"
#include "base/text.h"
#include "model/salvage.h"
#include <QtTest>
#include <random>

using namespace hemline;
using nlohmann::json;

class TestSalvage : public QObject {
  Q_OBJECT
  const std::string text_ = readFile(HEMLINE_SOURCE "/demo/rudder-horn.hemline");
  const json whole_ = json::parse(text_);

  /// Every entry of what was saved is one of the whole job's, in its order.
  void isOfTheWhole(const Job& saved) const {
    const json s = toJson(saved), w = toJson(jobFromJson(whole_, "whole"));
    for (const char* list : {"cutters", "holders", "steps", "regions", "clampings"}) {
      auto at = w[list].begin();
      for (const json& entry : s[list]) {
        while (at != w[list].end() && *at != entry) ++at;
        const bool first = std::string(list) == "clampings" && s[list].size() == 1; // a job has one, if only a new one
        QVERIFY2(at != w[list].end() || first, list);
        if (at != w[list].end()) ++at;
      }
    }
  }

private slots:
  void cutShortAnywhere() {
    std::size_t saved = 0, before = 0;
    for (std::size_t end = 0; end <= text_.size(); end += std::max<std::size_t>(1, text_.size() / 300)) {
      const std::string closed = closedBefore(text_, end);
      QVERIFY(closed.empty() || json::accept(closed));
      // What is closed is longer, the later the cut is.
      QVERIFY(closed.size() + 4 >= before);
      before = closed.size();
      try {
        const Salvaged s = salvageJob(text_.substr(0, end), "cut");
        QVERIFY(!s.lost.empty() || end + 2 >= text_.size());
        isOfTheWhole(s.job);
        ++saved;
      } catch (const Error& e) {
        QVERIFY(!e.remedy.empty() && !e.happened.empty());
      }
    }
    QVERIFY2(saved > 30, qPrintable(QString::number(saved))); // from where the part is told on
    const Salvaged all = salvageJob(text_, "whole");
    QVERIFY(all.lost.empty() && toJson(all.job) == toJson(jobFromJson(whole_, "whole")));
  }

  void whatIsWholeIsClosed() {
    // Quotes as ' to be read; a text has brackets and commas of its own.
    const auto quoted = [](std::string s) {
      std::replace(s.begin(), s.end(), '\'', '"');
      return s;
    };
    const std::string text = quoted("{'a': 1, 'list': [{'x': [1, 2]}, {'y': 'a, } ] b'}], 'part': {'file': 'f', 'unit': 'mm'}, 'z': 2}");
    const struct {
      const char *before, *whole; ///< what stands at the fault; what is left then
    } cases[] = {{"1, 'list", ""},
                 {"'list", "{'a': 1}"},
                 {"2]}", "{'a': 1}"}, // half an entry is none
                 {"'y", "{'a': 1, 'list': [{'x': [1, 2]}]}"},
                 {"} ] b", "{'a': 1, 'list': [{'x': [1, 2]}]}"}, // within a text
                 {"'unit", "{'a': 1, 'list': [{'x': [1, 2]}, {'y': 'a, } ] b'}]}"},
                 {"'z", "{'a': 1, 'list': [{'x': [1, 2]}, {'y': 'a, } ] b'}], 'part': {'file': 'f', 'unit': 'mm'}}"}};
    for (const auto& c : cases) {
      const std::string got = closedBefore(text, text.find(quoted(c.before))), whole = quoted(c.whole);
      QVERIFY2(whole.empty() ? got.empty() : json::parse(got) == json::parse(whole), (got + " before " + c.before).c_str());
    }
    QCOMPARE(closedBefore("]", 1), std::string());
  }

  void spoiltAnywhere() {
    std::mt19937 random(7);
    std::size_t saved = 0;
    for (int k = 0; k < 200; ++k) {
      std::string t = text_;
      for (int n = 0; n < 3; ++n) t[random() % t.size()] = static_cast<char>(random() % 256);
      try {
        salvageJob(t, "spoilt");
        ++saved;
      } catch (const Error&) {
      }
    }
    QVERIFY(saved > 100);
  }

  void entriesThatAreNotWhole() {
    json j = whole_;
    const std::size_t steps = j["steps"].size();
    j["steps"][0]["stick_out_mm"] = "far";
    j["cutters"][1] = 7;
    j["safe_gap_mm"] = json::array();
    j.erase("machine");
    const Salvaged s = salvageJob(j.dump(), "job");
    QCOMPARE(s.job.steps.size(), steps - 1);
    QCOMPARE(s.job.cutters.size(), whole_["cutters"].size() - 1);
    QCOMPARE(s.job.safeGap, Job().safeGap);
    isOfTheWhole(s.job);
    QVERIFY2(s.lost.size() == 4, qPrintable(QString::fromStdString(joined(s.lost, " | "))));
    for (const char* named : {"steps 1 '", "cutters 2", "safe_gap_mm", "machine"})
      QVERIFY2(std::any_of(s.lost.begin(), s.lost.end(), [&](const std::string& l) { return l.starts_with(named); }), named);
    // Without a part there is no job; what a newer version wrote is not taken apart.
    json none = whole_;
    none.erase("part");
    QVERIFY_THROWS_EXCEPTION(Error, salvageJob(none.dump(), "job"));
    json newer = whole_;
    newer["hemline_job"] = kJobVersion + 1;
    QVERIFY_THROWS_EXCEPTION(Error, salvageJob(newer.dump(), "job"));
  }
};

QTEST_APPLESS_MAIN(TestSalvage)
#include "tst_salvage.moc"
