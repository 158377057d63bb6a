#include "start/last_jobs.h"
#include "base/error.h"
#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QSettings>
#include <QStandardPaths>

namespace hemline::app {
namespace {

constexpr qsizetype kKept = 12;    // jobs
constexpr int kPictureWidth = 240; // pixels

QString picturePath(const QString& jobPath) {
  const QByteArray of = QCryptographicHash::hash(QFileInfo(jobPath).absoluteFilePath().toUtf8(), QCryptographicHash::Sha1).toHex();
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/pictures/" + QString::fromLatin1(of) + ".png";
}

QJsonArray kept() {
  const QByteArray text = QSettings("hemline", "hemline").value("lastJobs").toByteArray();
  return QJsonDocument::fromJson(text).array();
}

void keep(const QJsonArray& all) {
  QSettings("hemline", "hemline").setValue("lastJobs", QJsonDocument(all).toJson(QJsonDocument::Compact));
}

QJsonArray without(const QJsonArray& all, const QString& path) {
  QJsonArray out;
  for (const QJsonValue& v : all)
    if (v["path"].toString() != path) out.append(v);
  return out;
}

} // namespace

std::vector<LastJob> lastJobs() {
  std::vector<LastJob> out;
  for (const QJsonValue& v : kept())
    if (const QString path = v["path"].toString(); QFileInfo::exists(path))
      out.push_back({path, v["name"].toString(), v["verdict"].toString(), v["when"].toString()});
  return out;
}

void keepLastJob(const LastJob& job, const QPixmap& picture) {
  const QString path = QFileInfo(job.path).absoluteFilePath();
  QJsonArray all = without(kept(), path);
  all.prepend(QJsonObject{{"path", path}, {"name", job.name}, {"verdict", job.verdict}, {"when", job.when}});
  while (all.size() > kKept) {
    QFile::remove(picturePath(all.last()["path"].toString()));
    all.removeLast();
  }
  keep(all);
  if (picture.isNull()) return;
  const QString file = picturePath(path);
  QDir().mkpath(QFileInfo(file).path());
  smallPicture(picture).save(file);
}

void forgetLastJob(const QString& path) {
  keep(without(kept(), QFileInfo(path).absoluteFilePath()));
  QFile::remove(picturePath(path));
}

QPixmap smallPicture(const QPixmap& view) {
  return view.scaledToWidth(kPictureWidth, Qt::SmoothTransformation);
}

QPixmap pictureOf(const QString& jobPath) {
  if (const QPixmap own(picturePath(jobPath)); !own.isNull()) return own;
  const QFileInfo info(jobPath); // those of the demos come along
  return info.dir() == QDir(HEMLINE_DEMO) ? QPixmap(QString(HEMLINE_DATA "/demos/%1.png").arg(info.completeBaseName())) : QPixmap();
}

QString draftsFolder() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/drafts";
}

bool isDraft(const QString& jobPath) {
  return !jobPath.isEmpty() && QFileInfo(jobPath).absolutePath() == QFileInfo(draftsFolder() + "/x").absolutePath();
}

QString newDraft(const QString& name) {
  const QDir folder(draftsFolder());
  if (!folder.mkpath("."))
    throw Error(Fault::File, "The folder for jobs without a name cannot be made", draftsFolder().toStdString(),
                "Make room or rights for it.");
  QString path;
  for (int n = 1; path.isEmpty() || QFileInfo::exists(path); ++n)
    path = folder.filePath(n == 1 ? QString("%1.hemline").arg(name) : QString("%1 %2.hemline").arg(name).arg(n));
  return path;
}

std::vector<LastJob> demos() {
  std::vector<LastJob> out;
  for (const auto& [file, name, what] :
       {std::tuple("paddle-mould", QObject::tr("Paddle mould"), QObject::tr("half a mould, three axes, finished to 2 µm")),
        std::tuple("mould-chain", QObject::tr("Mould, whole chain"),
                   QObject::tr("rough, rest, semi-finish with virtual fillets, even cusp")),
        std::tuple("fairing-tool", QObject::tr("Fairing tool"), QObject::tr("lay-up tool, five axes, even cusp, leaning")),
        std::tuple("rudder-horn", QObject::tr("Rudder horn"), QObject::tr("small part, two clampings")),
        std::tuple("ventilator-blade", QObject::tr("Ventilator blade"), QObject::tr("slender work, how it is held")),
        std::tuple("reflector-tool", QObject::tr("Reflector tool"), QObject::tr("a mirror in single microns, points beside each other")),
        std::tuple("pocket-insert", QObject::tr("Pocket insert"), QObject::tr("a pocket with a core, its feet cleaned up"))})
    if (const QString path = QString(HEMLINE_DEMO "/%1.hemline").arg(file); QFileInfo::exists(path)) out.push_back({path, name, what, {}});
  return out;
}

} // namespace hemline::app
