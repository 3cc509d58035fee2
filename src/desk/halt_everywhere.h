// Halt above everything: its keys work in every window of ours and every menu, and each dialog that opens
// carries its button.
#pragma once

#include <QObject>
#include <functional>

class QDialog;

namespace nordstjerna {

class HaltEverywhere : public QObject {
    Q_OBJECT
public:
    explicit HaltEverywhere(std::function<void()> halt, QObject* parent = nullptr);
    bool eventFilter(QObject* object, QEvent* event) override;

private:
    void carry(QDialog& dialog);
    std::function<void()> halt_;
};

} // namespace nordstjerna
