// The guide: its pages with pictures, a list of its chapters, and a search.
#pragma once

#include <QDialog>
#include <filesystem>

class QLabel;
class QLineEdit;
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
    void find(bool back);
    void markAll();
    void fitPictures();
    QTextBrowser* m_page;
    QLineEdit* m_search;
    QLabel* m_count;
};

}
