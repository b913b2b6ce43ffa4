// A small window from which files can be dragged, as from a file manager: drag_source FILE...
#include <QApplication>
#include <QDrag>
#include <QMimeData>
#include <QMouseEvent>
#include <QTimer>
#include <QUrl>
#include <QWidget>

namespace {

class Source : public QWidget {
public:
    explicit Source(QList<QUrl> files) : m_files(std::move(files)) {
        setWindowTitle(QStringLiteral("drag source"));
        setWindowFlags(Qt::Window | Qt::X11BypassWindowManagerHint | Qt::WindowStaysOnTopHint |
                       Qt::WindowDoesNotAcceptFocus);
        setAttribute(Qt::WA_ShowWithoutActivating);
        setGeometry(0, 0, 24, 24);
    }

protected:
    void mousePressEvent(QMouseEvent*) override {
        auto* drag = new QDrag(this);
        auto* dragged = new QMimeData;
        dragged->setUrls(m_files);
        drag->setMimeData(dragged);
        // Its title says how far it has come, for whoever moves the pointer.
        connect(drag, &QDrag::actionChanged, this, [this](Qt::DropAction action) {
            setWindowTitle(action == Qt::IgnoreAction ? QStringLiteral("drag source, dragging")
                                                      : QStringLiteral("drag source, over a taker"));
        });
        setWindowTitle(QStringLiteral("drag source, dragging"));
        drag->exec(Qt::CopyAction);
        hide();
        // The files' names are asked for after the drop.
        QTimer::singleShot(3000, qApp, &QApplication::quit);
    }

private:
    QList<QUrl> m_files;
};

}

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QList<QUrl> files;
    for (const QString& file : QApplication::arguments().mid(1))
        files << QUrl::fromLocalFile(file);
    Source source(std::move(files));
    source.show();
    return QApplication::exec();
}
