#include "desk/guide_window.h"

#include "desk/number_field.h"
#include "desk/theme.h"

#include <QAction>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QScrollBar>
#include <QSplitter>
#include <QTextBlock>
#include <QTextBrowser>
#include <QToolButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

constexpr int mostMarked = 2000;

}

GuideWindow::GuideWindow(const std::filesystem::path& page, QWidget* parent) : QDialog(parent) {
    setObjectName(QStringLiteral("guideWindow"));
    setWindowTitle(tr("Guide"));
    setModal(false);
    resize(940, 700);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 12, 12, 12);
    layout->setSpacing(8);
    auto* row = new QHBoxLayout;
    m_search = new QLineEdit;
    m_search->setPlaceholderText(tr("Search the guide"));
    m_search->setAccessibleName(tr("Search the guide"));
    m_search->setClearButtonEnabled(true);
    m_count = new QLabel;
    m_count->setObjectName(QStringLiteral("dim"));
    m_count->setMinimumWidth(110);
    row->addWidget(m_search, 1);
    row->addWidget(m_count);
    const auto arrow = [&](const QString& text, const QString& tip, bool back) {
        auto* button = new QToolButton;
        button->setText(text);
        button->setToolTip(tip);
        button->setAccessibleName(tip);
        connect(button, &QToolButton::clicked, this, [this, back] { find(back); });
        row->addWidget(button);
    };
    arrow(QStringLiteral("↑"), tr("The one before (Shift+Enter)"), true);
    arrow(QStringLiteral("↓"), tr("The next one (Enter)"), false);
    layout->addLayout(row);

    m_page = new QTextBrowser;
    m_page->setObjectName(QStringLiteral("guidePage"));
    m_page->setOpenExternalLinks(false);
    m_page->setFont(theme::sans(13));
    m_page->document()->setDocumentMargin(18);
    auto* chapters = new QListWidget;
    chapters->setAccessibleName(tr("Chapters"));
    chapters->setWordWrap(true);
    auto* both = new QSplitter;
    both->addWidget(chapters);
    both->addWidget(m_page);
    both->setStretchFactor(1, 1);
    both->setSizes({240, 700});
    both->setChildrenCollapsible(false);
    layout->addWidget(both, 1);

    const QFileInfo file(QString::fromStdString(page.string()));
    m_page->setSearchPaths({file.absolutePath()});
    QFile text(file.absoluteFilePath());
    if (page.empty() || !text.open(QIODevice::ReadOnly)) {
        m_page->setPlainText(tr("The guide is not where the program looks for it: in share/open-stage/docs "
                                "beside the program's folder."));
    } else {
        m_page->document()->setBaseUrl(QUrl::fromLocalFile(file.absolutePath() + QLatin1Char('/')));
        m_page->setMarkdown(QString::fromUtf8(text.readAll()));
    }
    for (QTextBlock block = m_page->document()->begin(); block.isValid(); block = block.next()) {
        const int level = block.blockFormat().headingLevel();
        if (level < 1 || level > 3) continue;
        auto* item = new QListWidgetItem(QString((level - 1) * 3, QLatin1Char(' ')) + block.text());
        item->setData(Qt::UserRole, block.position());
        chapters->addItem(item);
    }
    connect(chapters, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (!item) return;
        QTextCursor cursor(m_page->document());
        cursor.setPosition(m_page->document()->characterCount() - 1);
        m_page->setTextCursor(cursor); // so that the heading comes to the top
        cursor.setPosition(item->data(Qt::UserRole).toInt());
        m_page->setTextCursor(cursor);
        m_page->verticalScrollBar()->setValue(m_page->verticalScrollBar()->value() +
                                              m_page->cursorRect().top() - 12);
    });
    connect(m_search, &QLineEdit::textChanged, this, [this] {
        QTextCursor start = m_page->textCursor();
        start.setPosition(start.selectionStart());
        m_page->setTextCursor(start);
        markAll();
        if (!m_search->text().isEmpty()) find(false);
    });
    connect(m_search, &QLineEdit::returnPressed, this,
            [this] { find(QGuiApplication::keyboardModifiers() & Qt::ShiftModifier); });
    auto* toSearch = new QAction(this);
    toSearch->setShortcut(QKeySequence::Find);
    connect(toSearch, &QAction::triggered, this, [this] {
        m_search->setFocus();
        m_search->selectAll();
    });
    addAction(toSearch);
    m_search->setFocus();
}

/// Pictures are never wider than the page.
void GuideWindow::fitPictures() {
    const double wide = m_page->viewport()->width() - 2 * m_page->document()->documentMargin() - 8;
    if (wide < 60) return;
    QTextDocument& document = *m_page->document();
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next())
        for (auto part = block.begin(); !part.atEnd(); ++part) {
            QTextImageFormat image = part.fragment().charFormat().toImageFormat();
            if (!image.isValid()) continue;
            const QImage picture(m_page->searchPaths().value(0) + QLatin1Char('/') + image.name());
            if (picture.isNull()) continue;
            const double width = std::min<double>(picture.width(), wide);
            if (image.width() == width) continue;
            image.setWidth(width);
            image.setHeight(width * picture.height() / picture.width());
            QTextCursor cursor(&document);
            cursor.setPosition(part.fragment().position());
            cursor.setPosition(part.fragment().position() + part.fragment().length(),
                               QTextCursor::KeepAnchor);
            cursor.setCharFormat(image);
            part = block.begin(); // the fragments are others now
        }
}

void GuideWindow::resizeEvent(QResizeEvent* event) {
    QDialog::resizeEvent(event);
    fitPictures();
}

void GuideWindow::showEvent(QShowEvent* event) {
    QDialog::showEvent(event);
    fitPictures();
}

void GuideWindow::find(bool back) {
    const QString text = m_search->text();
    if (text.isEmpty()) return;
    const auto flags = back ? QTextDocument::FindBackward : QTextDocument::FindFlags();
    if (m_page->find(text, flags)) return;
    // Round the end.
    QTextCursor cursor = m_page->textCursor();
    cursor.movePosition(back ? QTextCursor::End : QTextCursor::Start);
    m_page->setTextCursor(cursor);
    m_page->find(text, flags);
}

void GuideWindow::markAll() {
    const QString text = m_search->text();
    QList<QTextEdit::ExtraSelection> all;
    QTextCharFormat format;
    format.setBackground(theme::brass.darker(180));
    for (QTextCursor at(m_page->document()); !text.isEmpty() && all.size() < mostMarked;) {
        at = m_page->document()->find(text, at);
        if (at.isNull()) break;
        all.append({at, format});
    }
    m_page->setExtraSelections(all);
    m_count->setText(text.isEmpty()  ? QString()
                     : all.isEmpty() ? tr("Not found")
                                     : counted(all.size(), tr("place"), tr("places")));
}

}
