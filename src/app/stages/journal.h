// The journal beside the job: releases, waivers and runs, one JSON object a line; it only ever grows.
#pragma once
#include <QString>
#include <vector>

namespace hemline::app {

struct JournalEntry {
  QString when, what, remark;
  double planned = 0, actual = 0; ///< seconds; 0: not told
};

QString journalPath(const QString& jobPath);
/// Damaged lines are skipped.
std::vector<JournalEntry> readJournal(const QString& jobPath);
/// Throws Error when it cannot be written.
void appendJournal(const QString& jobPath, const JournalEntry& entry);

} // namespace hemline::app
