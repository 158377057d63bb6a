#include "help/help_pages.h"
#include "model/fields.h"
#include "model/promise_kinds.h"
#include <QFile>
#include <algorithm>

namespace hemline::app {
namespace {

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// A page of the program's own: its first line is its title.
HelpPage shipped(const QString& id) {
  QFile f(":/help/" + id + ".md");
  QString words;
  if (f.open(QIODevice::ReadOnly)) words = QString::fromUtf8(f.readAll());
  QString title = words.section('\n', 0, 0);
  title.remove(0, title.startsWith("# ") ? 2 : 0);
  return {id, title.section(':', 0, 0), words};
}

HelpPage kindsPage() {
  QString words = "# " + QObject::tr("Kinds of step") + "\n\n";
  for (const StepKind& k : stepKinds())
    words += QString("- [%1](page:%2), %3: %4\n").arg(text(k.id), pageOfKind(k.id), text(k.purpose).toLower(), text(k.what));
  return {"kinds", QObject::tr("Kinds of step"), words};
}

HelpPage kindPage(const StepKind& k) {
  QString words = QString("# %1\n\n%2\n\n").arg(text(k.id), text(k.what));
  for (const auto& [head, body] :
       {std::pair(QObject::tr("Pick it for"), text(k.when)), std::pair(QObject::tr("What it costs"), text(k.costs)),
        std::pair(QObject::tr("What usually goes wrong"), text(k.wrong))})
    words += QString("**%1.** %2\n\n").arg(head, body);
  words += "## " + QObject::tr("Its rows") + "\n\n";
  for (const StepField& f : k.fields)
    if (f.row) words += QString("**%1.** %2\n\n").arg(text(f.label), text(f.help));
  return {pageOfKind(k.id), QObject::tr("Step: %1").arg(text(k.id)), words};
}

HelpPage measuresPage() {
  QString words =
      "# " + QObject::tr("Measures and promises") + "\n\n" +
      QObject::tr("What a step promises is measured, with a bound: no place is worse than it. *Kept* is decided by the bound, not "
                  "by the value that was met.") +
      "\n\n";
  for (const PromiseKind& k : promiseKinds()) words += QString("**%1.** %2\n\n").arg(QString(k.title), QString(k.help));
  return {"measures", QObject::tr("Measures and promises"), words};
}

HelpPage glossary() {
  HelpPage page = shipped("glossary");
  const auto code = page.markdown.indexOf("## In the code");
  if (code > 0) page.markdown.truncate(code);
  page.title = QObject::tr("Words");
  return page;
}

} // namespace

QString pageOfKind(const std::string& kind) {
  return "kind-" + QString::fromStdString(kind).replace(' ', '-');
}

const std::vector<HelpPage>& helpPages() {
  static const std::vector<HelpPage> pages = [] {
    std::vector<HelpPage> out;
    for (const char* id : {"start", "study", "hold", "plan", "plans", "prove", "release", "log", "view", "hem", "ledger"})
      out.push_back(shipped(id));
    out.push_back(kindsPage());
    for (const StepKind& k : stepKinds()) out.push_back(kindPage(k));
    out.push_back(measuresPage());
    for (const char* id : {"libraries", "files", "keys"}) out.push_back(shipped(id));
    out.push_back(glossary());
    return out;
  }();
  return pages;
}

const HelpPage* helpPage(const QString& id) {
  for (const HelpPage& p : helpPages())
    if (p.id == id) return &p;
  return nullptr;
}

std::vector<const HelpPage*> pagesAbout(const QString& words) {
  const QStringList all = words.split(' ', Qt::SkipEmptyParts);
  std::vector<const HelpPage*> out;
  const auto has = [&](const QString& in) {
    return std::all_of(all.begin(), all.end(), [&](const QString& w) { return in.contains(w, Qt::CaseInsensitive); });
  };
  for (const HelpPage& p : helpPages())
    if (has(p.title + "\n" + p.markdown)) out.push_back(&p);
  std::stable_partition(out.begin(), out.end(), [&](const HelpPage* p) { return has(p->title); });
  return out;
}

} // namespace hemline::app
