// The phases of a station as a row of flat buttons, one of them chosen.
#pragma once

#include <QWidget>
#include <vector>

class QPushButton;

namespace nordstjerna {

class PhaseBar : public QWidget {
    Q_OBJECT
public:
    explicit PhaseBar(const QStringList& names, QWidget* parent = nullptr);
    void setCurrent(int index);
    int current() const { return current_; }
    void setAvailable(bool available); // not while something runs

Q_SIGNALS:
    void chosen(int index);

private:
    std::vector<QPushButton*> buttons_;
    int current_ = 0;
};

} // namespace nordstjerna
