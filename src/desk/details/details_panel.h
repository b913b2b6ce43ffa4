// Numbers of what is selected: a layer's place, what the lens makes of it, its look; with no layer, the
// camera.
#pragma once

#include "desk/session/session.h"

#include <QWidget>
#include <utility>
#include <vector>

class QLabel;

namespace stage::desk {

class Part;

class DetailsPanel : public QWidget {
    Q_OBJECT
public:
    explicit DetailsPanel(Session& session, QWidget* parent = nullptr);

Q_SIGNALS:
    void titleChanged(const QString& title, const QString& note);

private:
    void refresh();
    void refreshMissing();
    std::pair<QString, QString> title() const; ///< and the note beside it

    Session& m_session;
    QLabel* m_missing;
    std::vector<Part*> m_parts;
};

}
