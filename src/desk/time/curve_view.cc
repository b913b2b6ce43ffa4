#include "desk/time/curve_view.h"

#include "desk/kit/number_field.h"
#include "desk/look/theme.h"
#include "desk/time/curve_paper.h"

#include <QHBoxLayout>
#include <QListWidget>
#include <algorithm>

namespace stage::desk {

CurveView::CurveView(Session& session, QWidget* parent) : QWidget(parent), m_session(session) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    m_list = new QListWidget;
    m_list->setObjectName(QStringLiteral("properties"));
    m_list->setAccessibleName(tr("Properties"));
    m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_list->setFixedWidth(132);
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_paper = new CurvePaper(session, *this);
    row->addWidget(m_list);
    row->addWidget(m_paper, 1);
    m_last = {{false, "up"}, {true, "up"}};
    connect(m_list, &QListWidget::itemSelectionChanged, this, [this] {
        if (m_filling) return;
        if (m_list->currentItem()) m_last[subject() == 0] = property();
        m_paper->forget();
    });
    connect(&m_session.document, &Document::sceneChanged, this, &CurveView::fill);
    connect(&m_session.selection, &Selection::layersChanged, this, &CurveView::fill);
    m_session.playhead.beat().follow(m_paper, Beat::Rank::Drawing, [this] { m_paper->update(); });
    connect(&m_session.selection, &Selection::keysChanged, m_paper, qOverload<>(&QWidget::update));
    fill();
}

std::int64_t CurveView::subject() const {
    const scene::LayerPath found = m_session.selection.only();
    return found.layer ? found.layer->id : 0;
}

std::string CurveView::property() const {
    const QListWidgetItem* item = m_list->currentItem();
    return item ? item->data(Qt::UserRole).toString().toStdString() : std::string();
}

void CurveView::setProperty(const std::string& property) {
    for (int i = 0; i < m_list->count(); ++i)
        if (m_list->item(i)->data(Qt::UserRole).toString().toStdString() == property) {
            m_list->setCurrentRow(i, QItemSelectionModel::ClearAndSelect);
            m_last[subject() == 0] = property;
        }
    m_paper->forget();
}

std::vector<std::string> CurveView::shown() const {
    std::vector<std::string> names;
    for (int i = 0; i < m_list->count(); ++i)
        if (m_list->item(i)->isSelected())
            names.push_back(m_list->item(i)->data(Qt::UserRole).toString().toStdString());
    return names;
}

void CurveView::fill() {
    const std::int64_t whose = subject();
    m_filling = true;
    const auto offered = interaction::propertiesOf(*m_session.scene(), whose);
    if (whose != m_filled || m_list->count() != static_cast<int>(offered.size())) {
        m_list->clear();
        for (const std::string& name : offered) {
            auto* item = new QListWidgetItem(QString::fromStdString(name), m_list);
            item->setData(Qt::UserRole, QString::fromStdString(name));
        }
        m_filled = whose;
        // What is tracked is what one comes to see.
        bool any = false;
        for (int i = 0; i < m_list->count(); ++i) {
            const auto name = m_list->item(i)->data(Qt::UserRole).toString().toStdString();
            if (!interaction::trackOf(*m_session.scene(), whose, name)) continue;
            m_list->item(i)->setSelected(true);
            if (!any) m_list->setCurrentItem(m_list->item(i), QItemSelectionModel::Select);
            any = true;
        }
        if (!any)
            for (int i = 0; i < m_list->count(); ++i)
                if (m_list->item(i)->data(Qt::UserRole).toString().toStdString() == m_last[whose == 0])
                    m_list->setCurrentRow(i, QItemSelectionModel::ClearAndSelect);
    }
    for (int i = 0; i < m_list->count(); ++i) {
        QListWidgetItem* item = m_list->item(i);
        const auto name = item->data(Qt::UserRole).toString();
        const scene::Track* track = interaction::trackOf(*m_session.scene(), whose, name.toStdString());
        QString mark;
        if (track && track->link)
            mark = tr("follows");
        else if (track && !track->keys.empty())
            mark = tr("%n key(s)", nullptr, static_cast<int>(track->keys.size()));
        if (track && !track->noises.empty()) mark += mark.isEmpty() ? tr("noise") : tr(" + noise");
        item->setText(mark.isEmpty() ? name : name + QStringLiteral("  ·  ") + mark);
        QFont font = theme::sans(12, track != nullptr);
        item->setFont(font);
        item->setToolTip(tr("Click: its curve. With Ctrl: several curves at once"));
    }
    m_filling = false;
    const scene::LayerPath found = m_session.selection.only();
    Q_EMIT titleChanged(found.layer ? QString::fromStdString(found.layer->name) : tr("the camera"));
    m_paper->forget();
}

void CurveView::keyHere() {
    const std::string name = property();
    if (name.empty()) return;
    edit::Edit edit = {{"edit", "key"}, {"property", name}, {"time", m_session.playhead.time().text()}};
    if (subject() != 0) edit["layers"] = {subject()};
    if (m_session.document.apply(edit))
        m_session.selection.chooseKeys({{subject(), name, m_session.playhead.time()}});
}

void CurveView::fitAll() {
    m_paper->fitAll();
}

}
