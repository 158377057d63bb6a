#include "job_file.h"
#include "base/error.h"
#include "job/differences.h"
#include <QDateTime>
#include <QDir>
#include <QFileInfo>

namespace hemline::app {

Job JobFile::open(const QString& path) {
  const QString absolute = QFileInfo(path).absoluteFilePath();
  const Key now = hashFile(absolute.toStdString());
  Job job = readJob(absolute.toStdString());
  std::string other;
  if (!lock_.take(absolute.toStdString(), other)) lock_.release(); // of the job before
  path_ = absolute, owner_ = QString::fromStdString(other), known_ = now;
  left_.clear(), damaged_.clear();
  if (owner_.isEmpty()) findLeft(job);
  return job;
}

void JobFile::close() {
  lock_.release();
  path_.clear(), owner_.clear(), damaged_.clear(), left_.clear();
}

QString JobFile::copyPath() const {
  const QFileInfo info(path_);
  return info.dir().filePath("." + info.fileName() + ".recovery");
}

/// The copy of a window that has ended gets a number, so that nothing that is edited now is written over it.
void JobFile::findLeft(const Job& job) {
  const QFileInfo copy(copyPath());
  if (copy.exists()) {
    int n = 1;
    while (QFileInfo::exists(QString("%1.%2").arg(copy.filePath()).arg(n))) ++n;
    QFile::rename(copy.filePath(), QString("%1.%2").arg(copy.filePath()).arg(n));
  }
  QDir dir = copy.dir();
  const auto files = dir.entryInfoList({copy.fileName() + ".*"}, QDir::Files | QDir::Hidden, QDir::Time);
  for (const QFileInfo& f : files) {
    bool number = false;
    f.fileName().mid(copy.fileName().size() + 1).toInt(&number);
    if (!number) continue; // what is written aside
    try {
      LeftCopy left{f.filePath(), f.lastModified().toString("d MMMM, HH:mm:ss"), {}, readJob(f.filePath().toStdString())};
      QStringList what;
      for (const std::string& d : differences(job, left.job)) what << QString::fromStdString(d);
      left.what = what.join("; ");
      if (what.isEmpty())
        QFile::remove(left.file); // the job on disk is the same
      else
        left_.push_back(std::move(left));
    } catch (const Error& e) {
      damaged_ = QString::fromUtf8(e.what());
    }
  }
}

bool JobFile::changedOnDisk() const {
  try {
    return isOpen() && QFileInfo::exists(path_) && hashFile(path_.toStdString()) != known_;
  } catch (const Error&) {
    return true; // it is there and cannot be read
  }
}

void JobFile::save(const Job& job, bool overwrite) {
  const std::string path = path_.toStdString();
  if (!owner_.isEmpty())
    throw Error(Fault::InUse, "The job is in another's hand: " + owner_.toStdString(), path,
                "Save it as another one, or let them close it and open it again.");
  if (!overwrite && changedOnDisk())
    throw Error(Fault::InUse, "The job was changed on disk since it was opened here", path,
                "Save it as another one, open it again, or overwrite it.");
  writeJob(path, job);
  known_ = hashFile(path);
  dropCopy();
}

Job JobFile::saveAs(const QString& path, const Job& job) {
  const QString target = QFileInfo(path).absoluteFilePath();
  FileLock lock;
  std::string other;
  const bool same = QFileInfo(target).canonicalFilePath() == QFileInfo(path_).canonicalFilePath() && QFileInfo::exists(target);
  if (same && lock_.held()) {
    save(job, true);
    return job;
  }
  if (!lock.take(target.toStdString(), other))
    throw Error(Fault::InUse, "That job is in another's hand: " + other, target.toStdString(), "Choose another name.");
  // Files are named relative to the job: they keep their place when the job moves.
  Job moved = job;
  const QDir from = QFileInfo(path_).dir(), to = QFileInfo(target).dir();
  const auto keepPlaces = [&](Job& j) {
    for (std::string* file : filesOf(j))
      if (!file->empty() && !QFileInfo(QString::fromStdString(*file)).isAbsolute())
        *file = to.relativeFilePath(from.absoluteFilePath(QString::fromStdString(*file))).toStdString();
  };
  keepPlaces(moved);
  for (Variant& v : moved.variants) {
    Job plan = *v.plan;
    keepPlaces(plan);
    v.plan = std::make_shared<const Job>(std::move(plan));
  }
  writeJob(target.toStdString(), moved);
  dropCopy();
  lock_ = std::move(lock);
  path_ = target, owner_.clear(), known_ = hashFile(target.toStdString());
  left_.clear(), damaged_.clear();
  return moved;
}

void JobFile::keepCopy(const Job& job) {
  if (isOpen() && owner_.isEmpty()) writeJob(copyPath().toStdString(), job);
}

void JobFile::dropCopy() {
  if (isOpen() && owner_.isEmpty()) QFile::remove(copyPath());
}

void JobFile::dropLeft() {
  if (left_.empty()) return;
  QFile::remove(left_.front().file);
  left_.erase(left_.begin());
}

} // namespace hemline::app
