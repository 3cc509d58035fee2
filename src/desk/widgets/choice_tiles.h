// Tiles in a row, one of them open: each tells what stands behind it in a line, so that nothing need be
// opened to be read. The row is shared by what each has to say.
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
    // As wide as what stands on it, px.
    int wanted() const;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

Q_SIGNALS:
    void summaryChanged();

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
    int current() const { return current_; }

Q_SIGNALS:
    void chosen(int index);

private:
    QHBoxLayout* row_;
    std::vector<ChoiceTile*> tiles_;
    int current_ = 0;
};

} // namespace nordstjerna
