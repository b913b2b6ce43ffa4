// The desk's look: colours, type, icons.
#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

class QApplication;

namespace stage::desk::theme {

inline const QColor desk(0x23, 0x27, 0x2B), panel(0x2B, 0x30, 0x35), raised(0x36, 0x3C, 0x43),
    edge(0x1C, 0x1F, 0x22);
inline const QColor text(0xE9, 0xE4, 0xD8), dim(0xA6, 0xA5, 0x9B);
inline const QColor paper(0xF2, 0xEC, 0xDF), grid(0xE6, 0xDD, 0xCB), gridStrong(0xD3, 0xC8, 0xB0),
    pen(0x2A, 0x2D, 0x31), penDim(0x6B, 0x66, 0x5A);
inline const QColor sight(0x2F, 0x5D, 0x8C), focus(0x0F, 0x8B, 0x8D), vermilion(0xD9, 0x51, 0x2F),
    brass(0xD2, 0xA5, 0x48);

/// Fonts, palette and style sheet for the whole application.
void apply(QApplication& application);

/// While it is there, the application has no style sheet: with one, Qt adapts a widget and all that it holds
/// anew each time that it is put into another, which is most of the time that a window takes to be made. What
/// has been made meanwhile is adapted once, at its end. For windows whose widgets are made before they are
/// shown.
class WithoutStyleSheet {
public:
    WithoutStyleSheet();
    ~WithoutStyleSheet();
    WithoutStyleSheet(const WithoutStyleSheet&) = delete;
    WithoutStyleSheet& operator=(const WithoutStyleSheet&) = delete;

private:
    QString m_sheet;
};

QFont sans(int pixels, bool bold = false);
QFont figures(int pixels, bool bold = false);

/// An icon of the shipped set in a colour of the desk.
QIcon icon(const QString& name, const QColor& colour = text);

}
