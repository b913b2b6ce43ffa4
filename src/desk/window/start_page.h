// What an empty desk offers: a picture, the demo, a scene worked on before.
#pragma once

#include <QWidget>

class QVBoxLayout;

namespace stage::desk {

/// Lies in the middle of the widget that it is on.
class StartPage : public QWidget {
    Q_OBJECT
public:
    explicit StartPage(QWidget* on);
    /// Shows or hides it; the list of scenes is made anew.
    void offer(bool on);

Q_SIGNALS:
    void pictureAsked();
    void demoAsked();
    void sceneAsked(const QString& file);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void place();
    QVBoxLayout* m_recent;
};

}
