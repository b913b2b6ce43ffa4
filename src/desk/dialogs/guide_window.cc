#include "desk/dialogs/guide_window.h"

#include "desk/jobs/background.h"
#include "desk/kit/number_field.h"
#include "desk/look/theme.h"

#include <QAction>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QRegularExpression>
#include <QScreen>
#include <QScrollBar>
#include <QSplitter>
#include <QTextBlock>
#include <QTextBrowser>
#include <QTextList>
#include <QTextTable>
#include <QToolButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

constexpr int mostMarked = 2000, pictureWidth = 1280;

}

GuideWindow::GuideWindow(const std::filesystem::path& page, QWidget* parent) : QDialog(parent) {
    setObjectName(QStringLiteral("guideWindow"));
    setWindowTitle(tr("Guide"));
    setModal(false);
    resize(940, std::min(700, parent->screen()->availableSize().height() - 60));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 12, 12, 12);
    layout->setSpacing(8);
    layout->addLayout(makeSearch());

    m_page = new QTextBrowser;
    m_page->setObjectName(QStringLiteral("guidePage"));
    m_page->setOpenExternalLinks(false);
    m_page->setFont(theme::sans(13));
    m_page->document()->setDocumentMargin(18);
    m_page->setPlaceholderText(tr("The pages are being read."));
    auto* chapters = new QListWidget;
    chapters->setAccessibleName(tr("Chapters"));
    chapters->setWordWrap(true);
    chapters->setTextElideMode(Qt::ElideNone);
    chapters->setSpacing(2);
    auto* both = new QSplitter;
    both->addWidget(chapters);
    both->addWidget(m_page);
    both->setStretchFactor(1, 1);
    both->setSizes({280, 660});
    both->setChildrenCollapsible(false);
    layout->addWidget(both, 1);

    inBackground<Pages>(
        this, tr("Reading the guide"), [page](const Progress&) { return read(page); },
        [this, chapters](const Result<Pages>& pages) {
            if (!pages) return m_page->setPlainText(QString::fromStdString(pages.error().sentence));
            showPages(*pages, *chapters);
        });
    connect(chapters, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item) showFrom(item->data(Qt::UserRole).toInt());
    });
    m_search->setFocus();
}

/// The field for what is looked for, with its arrows and keys.
QLayout* GuideWindow::makeSearch() {
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
    return row;
}

/// Brings a place of the text to the top.
void GuideWindow::showFrom(int position) {
    QTextCursor cursor(m_page->document());
    cursor.setPosition(m_page->document()->characterCount() - 1);
    m_page->setTextCursor(cursor);
    cursor.setPosition(position);
    m_page->setTextCursor(cursor);
    m_page->verticalScrollBar()->setValue(m_page->verticalScrollBar()->value() + m_page->cursorRect().top() -
                                          12);
}

Result<GuideWindow::Pages> GuideWindow::read(const std::filesystem::path& page) {
    QFile file(QString::fromStdString(page.string()));
    if (page.empty() || !file.open(QIODevice::ReadOnly))
        return fail("The guide is not where the program looks for it: in share/open-stage/docs beside the "
                    "program's folder.");
    Pages pages{QString::fromUtf8(file.readAll()), {}};
    // A picture stands by itself, also in a step of a list.
    static const QRegularExpression picture(QStringLiteral("^( *!\\[[^\\]]*\\]\\(([^)]*)\\))"),
                                            QRegularExpression::MultilineOption);
    const QDir folder = QFileInfo(file).absoluteDir();
    for (auto each = picture.globalMatch(pages.text); each.hasNext();) {
        const QString name = each.next().captured(2);
        const QImage image(folder.filePath(name));
        if (!image.isNull())
            pages.pictures[name] = image.width() > pictureWidth
                                       ? image.scaledToWidth(pictureWidth, Qt::SmoothTransformation)
                                       : image;
    }
    pages.text.replace(picture, QStringLiteral("\n\\1"));
    return pages;
}

void GuideWindow::showPages(const Pages& pages, QListWidget& chapters) {
    QTextDocument& document = *m_page->document();
    m_pictures = pages.pictures;
    m_page->setMarkdown(pages.text); // forgets pictures
    for (auto each = m_pictures.begin(); each != m_pictures.end(); ++each)
        document.addResource(QTextDocument::ImageResource, QUrl(each.key()), each.value());
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next()) {
        const int level = block.blockFormat().headingLevel();
        QTextBlockFormat format = block.blockFormat();
        format.setLineHeight(120, QTextBlockFormat::ProportionalHeight);
        format.setTopMargin(level == 0 ? 0 : 18);
        format.setBottomMargin(block.textList() ? 5 : 9);
        QTextCursor(block).setBlockFormat(format);
        if (level < 1 || level > 3) continue;
        auto* item = new QListWidgetItem(QString((level - 1) * 3, QLatin1Char(' ')) + block.text());
        item->setData(Qt::UserRole, block.position());
        chapters.addItem(item);
    }
    for (QTextFrame* frame : document.rootFrame()->childFrames()) {
        auto* table = qobject_cast<QTextTable*>(frame);
        if (!table) continue;
        QTextTableFormat format = table->format();
        format.setCellPadding(5);
        format.setCellSpacing(0);
        format.setBorderCollapse(true);
        format.setBorderBrush(theme::raised);
        format.setBottomMargin(12);
        table->setFormat(format);
    }
    fitPictures();
    markAll();
}

/// Pictures are never wider than the page.
void GuideWindow::fitPictures() {
    QTextDocument& document = *m_page->document();
    const double wide = m_page->viewport()->width() - 2 * document.documentMargin() - 60;
    if (wide < 60) return;
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next())
        for (auto part = block.begin(); !part.atEnd(); ++part) {
            QTextImageFormat image = part.fragment().charFormat().toImageFormat();
            const auto picture = m_pictures.find(image.name());
            if (!image.isValid() || picture == m_pictures.end()) continue;
            const double width = std::floor(std::min<double>(picture->width(), wide));
            if (image.width() == width) continue;
            image.setWidth(width);
            image.setHeight(width * picture->height() / picture->width());
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
                                     : tr("%n place(s)", nullptr, static_cast<int>(all.size())));
}

}
