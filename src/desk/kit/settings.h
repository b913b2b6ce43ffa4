// What the program remembers of its user.
#pragma once

#include <QSettings>

namespace stage::desk {

inline QSettings settings() {
    return QSettings(QStringLiteral("open-stage"), QStringLiteral("open-stage"));
}

}
