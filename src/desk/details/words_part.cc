#include "desk/details/words_part.h"

#include "desk/kit/form.h"
#include "scene/scene_json.h"

#include <QColorDialog>
#include <QComboBox>
#include <QFontComboBox>
#include <QFontDatabase>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace stage::desk {

WordsPart::WordsPart(Session& session)
    : Part(session), m_words(new QPlainTextEdit), m_font(new QFontComboBox), m_style(new QComboBox),
      m_fill(new QPushButton) {
    m_rows.section(tr("Text"));
    m_words->setFixedHeight(48);
    m_words->setAccessibleName(tr("Text"));
    m_rows.layout()->addWidget(m_words);
    m_font->setMinimumWidth(0);
    m_font->setAccessibleName(tr("Font"));
    m_rows.layout()->addWidget(m_font);
    line(m_rows.layout(), tr("Style"), m_style, 118);
    line(m_rows.layout(), tr("Fill"), m_fill, 118);
    connect(m_words, &QPlainTextEdit::textChanged, this, &WordsPart::setWords);
    connect(m_font, &QFontComboBox::activated, this, [this] {
        m_style->clear();
        m_style->addItems(QFontDatabase::styles(m_font->currentFont().family()));
        setFont();
    });
    connect(m_style, &QComboBox::activated, this, &WordsPart::setFont);
    connect(m_fill, &QPushButton::clicked, this, &WordsPart::chooseFill);
    m_rows.onRefresh([this] {
        showWords();
        showFont();
        showFill();
    });
}

void WordsPart::set(const edit::Edit& change) {
    if (!text()) return;
    edit::Edit edit = {{"edit", "text"}, {"layer", layer()->id}};
    edit.update(change);
    apply(edit);
}

void WordsPart::setWords() {
    const std::string typed = m_words->toPlainText().toStdString();
    if (text() && !typed.empty() && typed != text()->text) set({{"text", typed}});
}

void WordsPart::setFont() {
    set({{"font",
          (m_font->currentFont().family() + QLatin1Char(' ') + m_style->currentText()).toStdString()}});
}

void WordsPart::chooseFill() {
    if (!text()) return;
    const QColor colour = QColorDialog::getColor(shown(text()->fill), this, tr("Fill of the text"),
                                                 QColorDialog::ShowAlphaChannel);
    if (colour.isValid()) set({{"fill", scene::toJson(sceneColour(colour))}});
}

void WordsPart::showWords() {
    if (m_words->toPlainText().toStdString() == text()->text) return;
    if (m_words->hasFocus() && m_words->toPlainText().isEmpty()) return; // other words are about to follow
    const QSignalBlocker quiet(m_words);                                 // shown, not typed
    m_words->setPlainText(QString::fromStdString(text()->text));
}

void WordsPart::showFont() {
    const QString font = QString::fromStdString(text()->font);
    QString family = font.section(QLatin1Char(' '), 0, -2);
    if (!QFontDatabase::hasFamily(family)) family = font;
    if (m_font->currentFont().family() != family) m_font->setCurrentFont(QFont(family));
    const QStringList styles = QFontDatabase::styles(family);
    if (m_style->count() != styles.size()) {
        m_style->clear();
        m_style->addItems(styles);
    }
    m_style->setCurrentText(font.section(QLatin1Char(' '), -1));
}

void WordsPart::showFill() {
    const QColor fill = shown(text()->fill);
    m_fill->setStyleSheet(QStringLiteral("background:%1;color:%2")
                              .arg(fill.name(), fill.lightness() > 128 ? QStringLiteral("#23272B")
                                                                       : QStringLiteral("#E9E4D8")));
    m_fill->setText(fill.name());
}

}
