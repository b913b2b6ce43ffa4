// What a layer shows, in the details: the time of footage, what surrounds a text's letters, the colours of a
// card.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/session/session.h"

#include <QWidget>
#include <functional>
#include <vector>

class QVBoxLayout;

namespace stage::desk {

class ContentPart : public QWidget {
    Q_OBJECT
public:
    explicit ContentPart(Session& session, QWidget* parent = nullptr);
    /// Shows what belongs to the selected layer, or nothing.
    void refresh();

private:
    QWidget* makeFootage();
    QWidget* makeText();
    QWidget* makeCard();
    NumberField* field(QVBoxLayout* layout, const QString& name, scene::Measured measured,
                       const QString& unit, int decimals, double step, const QString& tip,
                       std::function<double()> now, std::function<void(double)> set);
    template <class T> const T* content() const {
        const auto layer = m_session.selection.only().layer;
        return layer ? std::get_if<T>(&layer->content) : nullptr;
    }
    void change(const char* edit, scene::Json members);

    Session& m_session;
    QWidget *m_footage, *m_text, *m_card;
    std::vector<std::function<void()>> m_footageRows, m_textRows, m_cardRows;
    std::vector<std::function<void()>>* m_rows = nullptr; ///< being made
};

}
