// A layout that sets widgets like words in a line and breaks where it is full.
#pragma once
#include <QLayout>
#include <QStyle>
#include <vector>

namespace hemline::app {

class FlowLayout : public QLayout {
public:
  explicit FlowLayout(int gap, QWidget* parent = nullptr) : QLayout(parent), gap_(gap) { setContentsMargins(0, 0, 0, 0); }
  ~FlowLayout() override {
    for (QLayoutItem* i : items_) delete i;
  }
  void addItem(QLayoutItem* item) override { items_.push_back(item); }
  int count() const override { return static_cast<int>(items_.size()); }
  QLayoutItem* itemAt(int i) const override { return i >= 0 && i < count() ? items_[static_cast<std::size_t>(i)] : nullptr; }
  QLayoutItem* takeAt(int i) override {
    QLayoutItem* item = itemAt(i);
    if (item) items_.erase(items_.begin() + i);
    return item;
  }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int w) const override { return arrange(QRect(0, 0, w, 0), false); }
  void setGeometry(const QRect& r) override {
    QLayout::setGeometry(r);
    arrange(r, true);
  }
  QSize sizeHint() const override { return minimumSize(); }
  QSize minimumSize() const override {
    QSize s;
    for (const QLayoutItem* i : items_) s = s.expandedTo(i->minimumSize());
    return s;
  }

private:
  int arrange(const QRect& r, bool apply) const {
    int x = r.x(), y = r.y(), line = 0;
    for (QLayoutItem* i : items_) {
      if (i->isEmpty()) continue;
      const QSize s = i->sizeHint();
      if (x > r.x() && x + s.width() > r.right() + 1) x = r.x(), y += line + 4, line = 0;
      if (apply) i->setGeometry(QRect(QPoint(x, y), QSize(std::min(s.width(), r.width()), s.height())));
      x += s.width() + gap_;
      line = std::max(line, s.height());
    }
    return y + line - r.y();
  }
  int gap_;
  std::vector<QLayoutItem*> items_;
};

} // namespace hemline::app
