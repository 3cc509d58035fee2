// A language nobody speaks: every sentence of ours with accents on all its letters, longer by a third, in
// brackets. What appears without them stands outside of the catalogue.
#pragma once

#include <QSet>
#include <QTranslator>

namespace nordstjerna {

class PseudoLanguage : public QTranslator {
public:
    QString translate(const char* context, const char* source, const char* comment,
                      int number) const override;
    bool isEmpty() const override { return false; }

    static QString spoken(const QString& source);
    static QString accented(const QString& source); // its letters alone
    // The English that was spoken; a text in English is left as it is.
    static QString understood(const QString& text);
    // Words of three letters or more in it that are not of this language; `same` are the same in all.
    static QStringList foreignIn(const QString& text, const QSet<QString>& same);
};

} // namespace nordstjerna
