// Values of the job in rows, with headings and links between them; built anew when what they are of changes its shape.
#pragma once
#include "brief/brief.h"
#include <QPushButton>
#include <QVBoxLayout>

namespace hemline::app {

class ValueList : public QWidget {
  Q_OBJECT
public:
  explicit ValueList(Desk& desk, const char* name, QWidget* parent = nullptr);
  Clause* clause(const QString& id) const;

protected:
  Desk& desk_;
  /// Throws the rows away and starts afresh.
  void begin();
  void heading(const QString& words);
  void add(const Value& value);
  void words(const QString& text, bool wrong = false);
  QPushButton* link(const QString& words, const char* name, std::function<void()> run);
  void put(QWidget* widget) { all_->addWidget(widget); }
  void refreshValues();

private:
  QLabel* note_; ///< why a value was refused
  QWidget* rows_;
  QVBoxLayout* all_ = nullptr;
  std::vector<Clause*> clauses_;
};

/// A length of the job; `of` finds it.
template <class Of>
Value lengthValue(const QString& id, const QString& label, const QString& help, double least, double most, Of of, bool small = false) {
  Value v{id, label, help, {}, {}, {}, 1.1};
  v.show = [of, small](const Job& j, LengthUnit u) { return plainLength(of(const_cast<Job&>(j)), u, small); };
  v.set = [=](Job& j, const QString& t, LengthUnit u) { of(j) = readLength(t, u, small, least, most, label, of(j)); };
  return v;
}

/// The same where there may be none; `none` says so.
template <class Of>
Value maybeLengthValue(const QString& id, const QString& label, const QString& help, const QString& none, double least, double most, Of of,
                       bool small = false) {
  Value v{id, label, help, {}, {}, {}, 1.1};
  v.show = [of, small, none](const Job& j, LengthUnit u) {
    const auto& length = of(const_cast<Job&>(j));
    return length ? plainLength(*length, u, small) : none;
  };
  v.set = [=](Job& j, const QString& t, LengthUnit u) {
    if (t.trimmed().isEmpty() || t.trimmed() == none)
      of(j).reset();
    else
      of(j) = readLength(t, u, small, least, most, label, of(j));
  };
  return v;
}

template <class Of> Value wordsValue(const QString& id, const QString& label, const QString& help, Of of) {
  Value v{id, label, help, {}, {}, {}, 1};
  v.show = [of](const Job& j, LengthUnit) { return QString::fromStdString(of(const_cast<Job&>(j))); };
  v.set = [=](Job& j, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty()) refuse(QObject::tr("Nothing was typed"), label, QObject::tr("Type a few words."));
    of(j) = t.trimmed().toStdString();
  };
  return v;
}

/// One of several words; `get` and `put` go by their number.
template <class Get, class Put>
Value choiceValue(const QString& id, const QString& label, const QString& help, const QStringList& options, Get get, Put put) {
  Value v{id, label, help, {}, {}, {}, 1};
  v.show = [=](const Job& j, LengthUnit) { return options.value(get(j)); };
  v.choices = [=](const Job&) { return options; };
  v.set = [=](Job& j, const QString& t, LengthUnit) {
    if (const auto i = options.indexOf(t); i >= 0) put(j, static_cast<int>(i));
  };
  return v;
}

} // namespace hemline::app
