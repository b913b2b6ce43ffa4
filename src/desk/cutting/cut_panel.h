// Numbers of the cut-out: the layer's mattes and the one worked on, key, edges, fillings, match.
#pragma once

#include "desk/cutting/cut_view.h"
#include "desk/kit/number_field.h"

#include <QWidget>
#include <functional>
#include <vector>

class QVBoxLayout;

namespace stage::desk {

class CutPanel : public QWidget {
    Q_OBJECT
public:
    CutPanel(Session& session, CutView& view, QWidget* parent = nullptr);

Q_SIGNALS:
    void titleChanged(const QString& title, const QString& note);

protected:
    void showEvent(QShowEvent*) override;

private:
    scene::LayerPtr layer() const;
    scene::Json cutout() const;
    void refresh();
    void build();
    void buildMattes(QVBoxLayout* layout, const scene::Json& cutout);
    void buildMatte(QVBoxLayout* layout, const scene::Json& matte);
    void buildMatteShape(QVBoxLayout* layout, const scene::Json& matte);
    void buildMatteKeys(QVBoxLayout* layout, const scene::Json& matte);
    void buildKey(QVBoxLayout* layout, const scene::Json& cutout);
    void buildEdges(QVBoxLayout* layout);
    void buildFills(QVBoxLayout* layout, const scene::Json& cutout);
    void buildMatch(QVBoxLayout* layout, const scene::Json& cutout);
    /// A row for the number at a place (JSON pointer) in the cut-out; scale: what is shown per unit of it.
    NumberField* number(QVBoxLayout* layout, const QString& name, const std::string& place, double otherwise,
                        const QString& unit, double scale, int decimals, double step, const QString& tip,
                        std::function<void(double)> set);
    void change(const char* part, const char* member, const scene::Json& value);
    void changeMatte(const char* member, const scene::Json& value, bool keyed);

    Session& m_session;
    CutView& m_view;
    QWidget* m_page = nullptr;
    QVBoxLayout* m_outer;
    std::string m_shape; ///< what the page was built for
    std::vector<std::function<void()>> m_update;
};

}
