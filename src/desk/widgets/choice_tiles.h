// Tiles in a row, one of them open: each tells what stands behind it in a line, so that nothing need be
// opened to be read.
#pragma once

#include <QAbstractButton>
#include <vector>

class QHBoxLayout;

namespace nordstjerna {

class ChoiceTile : public QAbstractButton {
    Q_OBJECT
public:
    explicit ChoiceTile(const QString& title, QWidget* parent = nullptr);
    void setSummary(const QString& summary);
    const QString& summary() const { return summary_; }
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {64, sizeHint().height()}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QString summary_;
};

class ChoiceTiles : public QWidget {
    Q_OBJECT
public:
    explicit ChoiceTiles(const QStringList& titles, QWidget* parent = nullptr);
    ChoiceTile* tile(int index) const { return tiles_[static_cast<size_t>(index)]; }
    void open(int index);
    // How much of the row it has, beside 2 of the others.
    void setShare(int index, int share);
    int current() const { return current_; }

Q_SIGNALS:
    void chosen(int index);

private:
    QHBoxLayout* row_;
    std::vector<ChoiceTile*> tiles_;
    int current_ = 0;
};

} // namespace nordstjerna
