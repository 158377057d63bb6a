// How long computing takes: from what the job's own steps took before, else from what steps of their kind took.
#include "desk.h"
#include "job/estimate.h"
#include <QCryptographicHash>
#include <QSettings>

namespace hemline::app {
namespace {

constexpr double kFirstPace = 0.2, kLeaning = 0.4; // s for a metre of path, before any was computed here
constexpr double kRest = 0.2;                      // of the blank, for rest roughing
constexpr double kJudging = 3;                     // s: programs and judgement, before any was seen here
constexpr double kNew = 0.4;                       // weight of what was seen last
constexpr double kRemembered = 0.02;               // s: of a step that need not be computed
constexpr int kJobs = 50;                          // of so many jobs it is kept what their parts took
constexpr double kTold = 0.1;                      // of the whole, before which nothing is said of the rest

/// Where it stands what the parts of a job took.
QString spentBy(const QString& job) {
  return "spent/" + QString::fromLatin1(QCryptographicHash::hash(job.toUtf8(), QCryptographicHash::Md5).toHex().left(12)) + "/";
}

/// Those that were computed longest ago go.
void keepLastJobs(QSettings& settings, const QString& own) {
  settings.setValue(own + "when", QDateTime::currentSecsSinceEpoch());
  settings.beginGroup("spent");
  QStringList jobs = settings.childGroups();
  const auto when = [&](const QString& job) { return settings.value(job + "/when").toLongLong(); };
  std::sort(jobs.begin(), jobs.end(), [&](const QString& a, const QString& b) { return when(a) > when(b); });
  for (const QString& job : jobs.mid(kJobs)) settings.remove(job);
  settings.endGroup();
}

QString nameOf(const Step& s) {
  return QString::fromStdString(kindOf(s).id + "/" + s.name);
}
/// Passes whose axis leans with the surface are a trade of their own.
bool leans(const Step& s) {
  return s.finishing() && s.finishing()->follow;
}
QString paceOf(const Step& s) {
  return "pace/" + QString::fromStdString(kindOf(s).id) + (leans(s) ? ", leaning" : "");
}

/// `s`: one of the job's.
double workOf(const Job& job, const JobResult& base, const Step& s) {
  const double ground = base.study ? base.study->area : 0;
  double blank = base.stock ? base.stock->stock.volume() : 0;
  for (const Step& before : job.steps) { // what one roughing leaves the next has little of
    if (&before == &s) break;
    if (before.is<LevelRoughing>() && before.clamping == s.clamping) blank = kRest * (base.stock ? base.stock->stock.volume() : 0);
  }
  return computingWork(s, job.cutter(s.cutter), ground, blank);
}

} // namespace

/// The parts of the run: reading and studying the model, then the steps. Before the model is read only a job that was computed before is
/// known well enough; then `read` tells when that was, s.
void Desk::expectSteps(std::optional<double> read) {
  QSettings settings("hemline", "hemline");
  const QString own = spentBy(path());
  const double reading = settings.value(own + "reading", 0.0).toDouble();
  std::vector<char> guessed{0};
  std::vector<double> expected{read ? *read : knownSteps_ > 0 ? kRemembered : reading};
  if (!read && reading <= 0 && knownSteps_ == 0) return;
  try {
    for (std::size_t k = 0; k < job_.steps.size(); ++k) {
      const Step& s = job_.steps[k];
      const double before = settings.value(own + nameOf(s), 0.0).toDouble();
      if (!read && before <= 0 && !base_.study) return;
      const double pace = settings.value(paceOf(s), leans(s) ? kLeaning : kFirstPace).toDouble();
      guessed.push_back(k >= knownSteps_ && before <= 0 && !settings.contains(paceOf(s)));
      expected.push_back(k < knownSteps_ ? kRemembered : before > 0 ? before : pace * workOf(job_, base_, s));
    }
  } catch (const Error&) { // a step without a cutter: it will not be computed
    return;
  }
  expected.push_back(settings.value(own + "judging", kJudging).toDouble());
  guessed.push_back(!settings.contains(own + "judging"));
  countdown_.emplace(std::move(expected), std::move(guessed));
  if (!read) return count(0);
  countdown_->ended(*read);
  if (*read >= Countdown::kKnown) settings.setValue(own + "reading", *read);
  keepLastJobs(settings, own);
  count(*read);
}

void Desk::count(double at) {
  if (countdown_) {
    left_ = countdown_->left(at);
    fraction_ = countdown_->fraction(at);
  } else if (fraction_ > kTold && wholeTold_) {
    left_ = at * (1 - fraction_) / fraction_;
  }
  emit progressed();
}

void Desk::judgingTook(double seconds) {
  if (seconds >= Countdown::kKnown) QSettings("hemline", "hemline").setValue(spentBy(path()) + "judging", seconds);
}

void Desk::stepTook(std::size_t i, double seconds) {
  if (seconds < Countdown::kKnown || i >= job_.steps.size()) return;
  const Step& s = job_.steps[i];
  QSettings settings("hemline", "hemline");
  settings.setValue(spentBy(path()) + nameOf(s), seconds);
  try {
    const double seen = seconds / workOf(job_, base_, s), before = settings.value(paceOf(s), 0.0).toDouble();
    settings.setValue(paceOf(s), before > 0 ? kNew * seen + (1 - kNew) * before : seen);
  } catch (const Error&) {
  }
}

} // namespace hemline::app
