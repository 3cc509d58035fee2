// What a window shows, for tests that read it as a person does: in English as it is, and in the invented
// language (NORDSTJERNA_PSEUDO=1) as it would be in English. So the same tests run in both, and whatever the
// program itself finds by a text that people read fails in one of them.
#pragma once

#include <QComboBox>

#include "pseudo_language.h"

inline QString inEnglish(const QString& shown) {
    return nordstjerna::PseudoLanguage::understood(shown);
}

// The choice that reads so, or else the first that begins so; −1: none.
inline int choiceOf(const QComboBox& box, const QString& words) {
    int begins = -1;
    for (int i = box.count() - 1; i >= 0; --i) {
        const QString text = inEnglish(box.itemText(i));
        if (text == words)
            return i;
        if (text.startsWith(words))
            begins = i;
    }
    return begins;
}

inline void choose(QComboBox& box, const QString& words) {
    box.setCurrentIndex(choiceOf(box, words));
}

inline bool windowIsEnglish() {
    return !qEnvironmentVariableIsSet("NORDSTJERNA_PSEUDO");
}

// What is typed to be found among texts of the window.
inline QString inWindow(const QString& english) {
    return windowIsEnglish() ? english : nordstjerna::PseudoLanguage::accented(english);
}
