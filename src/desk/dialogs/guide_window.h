// The guide: its pages with pictures, a list of its chapters, and a search.
#pragma once

#include "scene/error.h"

#include <QDialog>
#include <QImage>
#include <QMap>
#include <filesystem>

class QLabel;
class QLineEdit;
class QListWidget;
class QTextBrowser;

namespace stage::desk {

class GuideWindow : public QDialog {
    Q_OBJECT
public:
    /// page: a Markdown file; its pictures lie beside it.
    explicit GuideWindow(const std::filesystem::path& page, QWidget* parent);
    QLineEdit& search() { return *m_search; }
    QTextBrowser& page() { return *m_page; }

protected:
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    struct Pages {
        QString text;                   ///< Markdown
        QMap<QString, QImage> pictures; ///< by the names that the text has
    };
    static Result<Pages> read(const std::filesystem::path& page);
    QLayout* makeSearch();
    void showFrom(int position);
    void showPages(const Pages& pages, QListWidget& chapters);
    void find(bool back);
    void markAll();
    void fitPictures();
    QTextBrowser* m_page;
    QMap<QString, QImage> m_pictures;
    QLineEdit* m_search;
    QLabel* m_count;
};

}
