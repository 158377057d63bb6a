// The jobs that were open last, with a small picture, what came out and when: kept beside the user's settings.
#pragma once
#include <QPixmap>
#include <QString>
#include <vector>

namespace hemline::app {

struct LastJob {
  QString path, name;
  QString verdict; ///< in words, as it was when it was last shown: "proven", "held: ..."
  QString when;    ///< it was last shown
};

/// The newest first; those whose file is gone are left out.
std::vector<LastJob> lastJobs();
/// Puts the job first. `picture`: of the view; null: the one that is kept stays.
void keepLastJob(const LastJob& job, const QPixmap& picture);
void forgetLastJob(const QString& path);
/// As small as it is kept.
QPixmap smallPicture(const QPixmap& view);
/// Null where none was kept; demos have one that comes along.
QPixmap pictureOf(const QString& jobPath);

/// Jobs that nobody has named yet: each has a file of its own here, so that nothing is lost.
QString draftsFolder();
bool isDraft(const QString& jobPath);
/// A file that is not there yet, for a job of this name. The folder is made; throws Error where it cannot be.
QString newDraft(const QString& name);

/// The jobs that come along, in their order.
std::vector<LastJob> demos();

} // namespace hemline::app
