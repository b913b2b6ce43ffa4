// The words of a text, its font and its fill.
#pragma once

#include "desk/details/part.h"

class QFontComboBox;
class QPlainTextEdit;

namespace stage::desk {

class WordsPart : public Part {
    Q_OBJECT
public:
    explicit WordsPart(Session& session);

protected:
    bool applies() const override { return text() != nullptr; }

private:
    const scene::Text* text() const { return content<scene::Text>(); }
    void set(const edit::Edit& change);
    void setWords();
    void setFont();
    void chooseFill();
    void showWords();
    void showFont();
    void showFill();

    QPlainTextEdit* m_words;
    QFontComboBox* m_font;
    QComboBox* m_style;
    QPushButton* m_fill;
};

}
