#include "desk/look/theme.h"

#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QFile>
#include <QFontDatabase>
#include <QHash>
#include <QIconEngine>
#include <QPainter>
#include <QPalette>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <QTranslator>
#include <algorithm>
#include <memory>

// Outside any namespace, as the macro asks; a static library's resources are not found by themselves.
static void initResources() {
    Q_INIT_RESOURCE(desk);
    Q_INIT_RESOURCE(translations);
}

namespace stage::desk::theme {
namespace {

/// Draws the vector at whatever size and scaling is asked for.
class VectorIcon : public QIconEngine {
public:
    explicit VectorIcon(const QByteArray& svg) : m_renderer(std::make_shared<QSvgRenderer>(svg)) {}
    void paint(QPainter* painter, const QRect& rect, QIcon::Mode mode, QIcon::State) override {
        if (mode == QIcon::Disabled) painter->setOpacity(0.4);
        const int side = std::min(rect.width(), rect.height()); // the drawings are square
        m_renderer->render(painter, QRectF(rect.center().x() + 0.5 - side / 2.0,
                                           rect.center().y() + 0.5 - side / 2.0, side, side));
    }
    QPixmap pixmap(const QSize& size, QIcon::Mode mode, QIcon::State state) override {
        if (size.isEmpty()) return {}; // on a button that has no room
        QPixmap pixmap(size);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        paint(&painter, pixmap.rect(), mode, state);
        return pixmap;
    }
    QIconEngine* clone() const override { return new VectorIcon(*this); }

private:
    std::shared_ptr<QSvgRenderer> m_renderer;
};

/// A panel that scrolls must not change choices and numbers on the way: they heed the wheel only with the
/// focus, which the wheel does not give. NumberField keeps the same rule.
class WheelRule : public QObject {
public:
    using QObject::QObject;
    bool eventFilter(QObject* watched, QEvent* event) override {
        if (event->type() != QEvent::Wheel && event->type() != QEvent::Polish) return false;
        auto* widget = qobject_cast<QWidget*>(watched);
        if (!qobject_cast<QComboBox*>(widget) && !qobject_cast<QAbstractSpinBox*>(widget)) return false;
        if (event->type() == QEvent::Polish) {
            widget->setFocusPolicy(Qt::StrongFocus);
            return false;
        }
        if (widget->hasFocus()) return false;
        event->ignore(); // whatever it lies on scrolls
        return true;
    }
};

}

/// English has forms for one and for many as well ("1 layer", "3 layers"), which a translation gives.
void translate(QApplication& application) {
    auto* forms = new QTranslator(&application);
    if (forms->load(QStringLiteral(":/translations/open-stage_en.qm")))
        QApplication::installTranslator(forms);
}

void apply(QApplication& application) {
    initResources();
    translate(application);
    application.installEventFilter(new WheelRule(&application));
    for (const char* name : {"DeskSansRegular", "DeskSansBold", "DeskMonoRegular", "DeskMonoBold"})
        QFontDatabase::addApplicationFont(QStringLiteral(":/desk/fonts/%1.otf").arg(QLatin1String(name)));
    application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    application.setFont(sans(12));
    QPalette palette;
    palette.setColor(QPalette::Window, desk);
    palette.setColor(QPalette::WindowText, text);
    palette.setColor(QPalette::Base, desk);
    palette.setColor(QPalette::AlternateBase, panel);
    palette.setColor(QPalette::Text, text);
    palette.setColor(QPalette::Button, raised);
    palette.setColor(QPalette::ButtonText, text);
    palette.setColor(QPalette::ToolTipBase, paper);
    palette.setColor(QPalette::ToolTipText, pen);
    palette.setColor(QPalette::PlaceholderText, dim);
    palette.setColor(QPalette::Highlight, vermilion);
    palette.setColor(QPalette::HighlightedText, Qt::white);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        palette.setColor(QPalette::Disabled, role, QColor(0x7A, 0x7A, 0x74));
    application.setPalette(palette);
    QFile style(QStringLiteral(":/desk/style.qss"));
    if (style.open(QIODevice::ReadOnly)) application.setStyleSheet(QString::fromUtf8(style.readAll()));
}

WithoutStyleSheet::WithoutStyleSheet() : m_sheet(qApp->styleSheet()) {
    qApp->setStyleSheet({});
}
WithoutStyleSheet::~WithoutStyleSheet() {
    qApp->setStyleSheet(m_sheet);
}

QFont sans(int pixels, bool bold) {
    QFont font(QStringLiteral("Desk Sans"));
    font.setPixelSize(pixels);
    font.setBold(bold);
    return font;
}

QFont figures(int pixels, bool bold) {
    QFont font(QStringLiteral("Desk Mono"));
    font.setPixelSize(pixels);
    font.setBold(bold);
    return font;
}

QIcon icon(const QString& name, const QColor& colour) {
    // Views ask for them at every repaint.
    static QHash<std::pair<QString, QRgb>, QIcon> icons;
    QIcon& kept = icons[{name, colour.rgba()}];
    if (!kept.isNull()) return kept;
    QFile file(QStringLiteral(":/desk/icons/%1.svg").arg(name));
    if (!file.open(QIODevice::ReadOnly)) return {};
    QByteArray svg = file.readAll();
    svg.replace("currentColor", colour.name().toLatin1());
    return kept = QIcon(new VectorIcon(svg));
}

}
