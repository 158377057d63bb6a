#include "stages/journal.h"
#include "base/error.h"
#include <QFile>
#include <QJsonDocument>
#include <QJsonObject>

namespace hemline::app {

QString journalPath(const QString& jobPath) {
  return jobPath + ".journal";
}

std::vector<JournalEntry> readJournal(const QString& jobPath) {
  std::vector<JournalEntry> out;
  QFile file(journalPath(jobPath));
  if (!file.open(QIODevice::ReadOnly)) return out;
  for (const QByteArray& line : file.readAll().split('\n')) {
    const QJsonDocument doc = QJsonDocument::fromJson(line);
    if (!doc.isObject()) continue;
    const QJsonObject o = doc.object();
    out.push_back(
        {o["when"].toString(), o["what"].toString(), o["remark"].toString(), o["planned_s"].toDouble(), o["actual_s"].toDouble()});
  }
  return out;
}

void appendJournal(const QString& jobPath, const JournalEntry& e) {
  QFile file(journalPath(jobPath));
  const QJsonObject o{{"when", e.when}, {"what", e.what}, {"remark", e.remark}, {"planned_s", e.planned}, {"actual_s", e.actual}};
  const QByteArray line = QJsonDocument(o).toJson(QJsonDocument::Compact) + '\n';
  if (!file.open(QIODevice::Append) || file.write(line) != line.size() || !file.flush())
    throw Error(Fault::File, "The journal cannot be written", journalPath(jobPath).toStdString(),
                "Make the folder writable, then try again.");
}

} // namespace hemline::app
