// Pages that answer: own ones, shipped in the program, and those made of what the core says of kinds of step and promises.
#pragma once
#include <QString>
#include <vector>

namespace hemline::app {

struct HelpPage {
  QString id, title, markdown; ///< links: "page:ID"; pictures: "picture:NAME"
};

/// In the order of the list.
const std::vector<HelpPage>& helpPages();
/// Null: there is none of that name.
const HelpPage* helpPage(const QString& id);
/// Pages that have all of these words, those with them in the title first.
std::vector<const HelpPage*> pagesAbout(const QString& words);
/// The page of a kind of step.
QString pageOfKind(const std::string& kind);

} // namespace hemline::app
