// The command line as a process: what it said, and how it ended.
#pragma once
#include <QProcess>
#include <QStringList>

struct Ran {
  int code = -1; ///< -1: it crashed, or did not end in time
  QString out, err;
};

inline Ran ran(const QString& program, const QStringList& arguments, int patience = 300000) {
  QProcess p;
  p.start(program, arguments);
  if (!p.waitForFinished(patience)) p.kill(), p.waitForFinished();
  return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -1, QString::fromUtf8(p.readAllStandardOutput()),
          QString::fromUtf8(p.readAllStandardError())};
}

inline Ran cli(const QStringList& arguments, int patience = 300000) {
  return ran(HEMLINE_CLI, arguments, patience);
}
