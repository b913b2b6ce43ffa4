#include "desk/cutting/cut_panel.h"

#include "desk/kit/form.h"
#include "desk/look/theme.h"
#include "motion/track.h"
#include "scene/cutout_json.h"
#include "scene/scene_json.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

namespace stage::desk {
namespace {

using scene::Json;

constexpr int fieldWidth = 118;

QPushButton* colourButton(const Json& colour) {
    auto* button = new QPushButton(QObject::tr("Pick"));
    if (colour.is_array() && colour.size() == 4)
        setSwatch(button, {colour[0].get<double>(), colour[1].get<double>(), colour[2].get<double>(), 1});
    return button;
}

const char* matteNames[] = {QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Outline"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Rectangle"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Ellipse"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Painted"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Alike"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Thing"),
                            QT_TRANSLATE_NOOP("stage::desk::CutPanel", "Layer")};

}

CutPanel::CutPanel(Session& session, CutView& view, QWidget* parent)
    : QWidget(parent), m_session(session), m_view(view) {
    m_outer = new QVBoxLayout(this);
    m_outer->setContentsMargins(0, 0, 0, 0);
    m_session.playhead.beat().follow(this, Beat::Rank::Numbers, [this] { refresh(); });
    connect(&m_session.document, &Document::sceneChanged, this, &CutPanel::refresh);
    connect(&m_session.selection, &Selection::layersChanged, this, &CutPanel::refresh);
    connect(&m_view, &CutView::matteChanged, this, &CutPanel::refresh);
    connect(&m_view, &CutView::toolChanged, this, &CutPanel::refresh);
}

void CutPanel::showEvent(QShowEvent*) {
    refresh();
}

scene::LayerPtr CutPanel::layer() const {
    const auto selected = m_session.selection.only().layer;
    return selected && !selected->group() && !selected->box() ? selected : nullptr;
}

Json CutPanel::cutout() const {
    const auto l = layer();
    return l && l->cutout ? scene::toJson(*l->cutout) : Json::object();
}

/// Builds the page anew when it has other rows, else only fills in the numbers.
void CutPanel::refresh() {
    if (!isVisible()) return;
    const auto l = layer();
    const Json now = cutout();
    std::string shape = std::to_string(l ? l->id : 0) + ' ' + std::to_string(m_view.matte()) + ' ' +
                        std::to_string(static_cast<int>(m_view.tool()));
    for (const Json& matte : now.value("mattes", Json::array()))
        shape += matte["kind"].get<std::string>() + matte["name"].dump() +
                 (matte.value("on", true) ? "+" : "-") + matte["combine"].get<std::string>() +
                 (matte.value("invert", false) ? "i" : "") + (matte.value("touching", false) ? "t" : "") +
                 matte.value("colour", Json()).dump() + std::to_string(matte.value("layer", 0)) +
                 (matte.value("brightness", false) ? "b" : "");
    shape += std::to_string(now.value("fills", Json::array()).size()) + now.value("match", Json()).dump();
    if (now.contains("key"))
        shape += now["key"]["kind"].get<std::string>() + now["key"].value("screen", Json()).dump();
    for (const scene::LayerPtr& other : m_session.scene()->layers)
        shape += other->name + '\n';
    if (l)
        Q_EMIT titleChanged(QString::fromStdString(l->name),
                            QStringLiteral("%1 × %2").arg(l->pixels.x).arg(l->pixels.y));
    else
        Q_EMIT titleChanged(tr("Cut out"), QString());
    if (shape != m_shape) {
        m_shape = shape;
        build();
    }
    for (const auto& update : m_update)
        update();
}

void CutPanel::build() {
    m_update.clear();
    // The page may be the one whose field has just been typed into, so it outlives this; and what is half
    // typed in another field is given up rather than entered for what is selected now.
    if (m_page) {
        for (NumberField* field : m_page->findChildren<NumberField*>())
            field->blockSignals(true);
        m_page->hide();
        m_page->deleteLater();
    }
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* content = new QWidget;
    content->setObjectName(QStringLiteral("panel"));
    auto* layout = new QVBoxLayout(content);
    layout->setContentsMargins(12, 8, 12, 10);
    layout->setSpacing(4);
    if (layer()) {
        const Json now = cutout();
        if (m_view.tool() == CutView::Tool::Brush || m_view.tool() == CutView::Tool::Clone) {
            section(layout, tr("Brush"));
            auto* size = new NumberField(scene::Measured::Pixels, QStringLiteral("px"), 0, 5);
            size->setToolTip(
                tr("Diameter in pixels of the layer. Alt and wheel, or the brackets, change it"));
            line(layout, tr("Size"), size, fieldWidth);
            m_update.push_back([this, size] { size->setValue(m_view.brushSize()); });
            connect(size, &NumberField::entered, &m_view, &CutView::setBrushSize);
            auto* hard = new NumberField(scene::Measured::Percent, QStringLiteral("%"), 0, 10);
            hard->setValue(70);
            line(layout, tr("Hardness"), hard, fieldWidth);
            connect(hard, &NumberField::entered, this,
                    [this](double v) { m_view.setBrushHardness(std::clamp(v / 100, 0.0, 1.0)); });
            auto* flow = new NumberField(scene::Measured::Percent, QStringLiteral("%"), 0, 10);
            flow->setValue(100);
            flow->setToolTip(tr("How much one stroke covers; a tablet's pressure lessens it"));
            line(layout, tr("Flow"), flow, fieldWidth);
            connect(flow, &NumberField::entered, this,
                    [this](double v) { m_view.setBrushFlow(std::clamp(v / 100, 0.0, 1.0)); });
        }
        buildMattes(layout, now);
        buildKey(layout, now);
        buildEdges(layout);
        buildFills(layout, now);
        buildMatch(layout, now);
    }
    layout->addStretch();
    scroll->setWidget(content);
    m_page = scroll;
    m_outer->addWidget(scroll);
    scroll->show();
}

NumberField* CutPanel::number(QVBoxLayout* layout, const QString& name, const std::string& place,
                              double otherwise, const QString& unit, double scale, int decimals, double step,
                              const QString& tip, std::function<void(double)> set) {
    auto* field =
        new NumberField(unit == QStringLiteral("%") ? scene::Measured::Percent : scene::Measured::Pixels,
                        unit, decimals, step);
    field->setToolTip(tip);
    line(layout, name, field, fieldWidth);
    connect(field, &NumberField::misread, &m_session, &Session::problem);
    connect(field, &NumberField::entered, this, [set = std::move(set), scale](double v) { set(v / scale); });
    m_update.push_back([this, field, place, otherwise, scale] {
        const Json now = cutout();
        const Json::json_pointer pointer(place);
        double value = otherwise;
        if (now.contains(pointer)) {
            const Json& found = now[pointer];
            if (found.is_number()) value = found.get<double>();
            if (found.is_object() && found.contains("keys")) {
                // Keyed: what holds at the playhead.
                Json matte = {{"kind", "rectangle"},
                              {"area", {{"centre", {0, 0}}, {"size", {1, 1}}}},
                              {"feather", found}};
                if (place.ends_with("/grow")) matte["grow"] = found, matte.erase("feather");
                if (place.ends_with("/opacity")) matte["opacity"] = found, matte.erase("feather");
                const scene::Matte read = scene::readMatte(matte, "matte");
                value = motion::valueAt(place.ends_with("/grow")      ? read.grow
                                        : place.ends_with("/opacity") ? read.opacity
                                                                      : read.feather,
                                        m_session.playhead.time());
            }
        }
        field->setValue(value * scale);
    });
    return field;
}

void CutPanel::change(const char* part, const char* member, const Json& value) {
    if (const auto l = layer())
        m_session.document.apply({{"edit", "cut-out"}, {"layers", {l->id}}, {part, {{member, value}}}});
}

void CutPanel::changeMatte(const char* member, const Json& value, bool keyed) {
    const auto l = layer();
    if (!l || m_view.matte() < 0) return;
    const auto n = static_cast<std::size_t>(m_view.matte());
    Json next = value;
    if (keyed) next = scene::withValueAt(cutout()["mattes"][n][member], m_session.playhead.time(), value);
    m_session.document.apply(
        {{"edit", "matte"}, {"layer", l->id}, {"matte", n + 1}, {"change", {{member, next}}}});
}

void CutPanel::buildMattes(QVBoxLayout* layout, const Json& now) {
    auto* up = smallButton(QStringLiteral("chevron-up"), tr("Earlier in the list"));
    auto* remove = smallButton(QStringLiteral("trash-2"), tr("Remove this matte"));
    auto* other = smallButton(QStringLiteral("layers"), tr("Another layer's alpha or brightness as a matte"));
    section(layout, tr("Mattes"), {other, up, remove});
    connect(other, &QToolButton::clicked, this, [this] {
        const auto l = layer();
        std::int64_t first = 0;
        scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& each, const auto&) {
            if (!each->group() && l && each->id != l->id) first = each->id;
        });
        if (first == 0) {
            Q_EMIT m_session.problem(tr("There is no other layer yet."));
            return;
        }
        const int count = l->cutout ? static_cast<int>(l->cutout->mattes.size()) : 0;
        if (m_session.document.apply(
                {{"edit", "add-matte"}, {"layer", l->id}, {"matte", {{"kind", "layer"}, {"layer", first}}}}))
            m_view.setMatte(count);
    });
    const Json mattes = now.value("mattes", Json::array());
    if (mattes.empty()) {
        auto* hint = new QLabel(tr("Draw a loop around a thing, an outline, or paint what stays."));
        hint->setObjectName(QStringLiteral("dim"));
        hint->setWordWrap(true);
        layout->addWidget(hint);
        up->hide(), remove->hide();
        return;
    }
    auto* list = new QListWidget;
    list->setObjectName(QStringLiteral("mattes"));
    list->setAccessibleName(tr("Mattes"));
    list->setFixedHeight(std::min(5, static_cast<int>(mattes.size())) * 22 + 4);
    const char* signs[] = {"+", "−", "∩", "Σ"};
    for (const Json& matte : mattes) {
        const auto kind =
            std::find(scene::matteKinds.begin(), scene::matteKinds.end(), matte["kind"].get<std::string>()) -
            scene::matteKinds.begin();
        const auto combine = std::find(scene::combineNames.begin(), scene::combineNames.end(),
                                       matte["combine"].get<std::string>()) -
                             scene::combineNames.begin();
        auto* item = new QListWidgetItem(QStringLiteral("%1  %2 · %3")
                                             .arg(QString::fromUtf8(signs[combine]),
                                                  QString::fromStdString(matte["name"].get<std::string>()),
                                                  tr(matteNames[kind]).toLower()));
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        item->setCheckState(matte.value("on", true) ? Qt::Checked : Qt::Unchecked);
        list->addItem(item);
    }
    list->setCurrentRow(m_view.matte());
    layout->addWidget(list);
    connect(list, &QListWidget::currentRowChanged, &m_view, &CutView::setMatte);
    connect(list, &QListWidget::itemChanged, this, [this, list](QListWidgetItem* item) {
        const int row = list->row(item);
        if (const auto l = layer())
            m_session.document.apply({{"edit", "matte"},
                                      {"layer", l->id},
                                      {"matte", row + 1},
                                      {"change", {{"on", item->checkState() == Qt::Checked}}}});
    });
    connect(up, &QToolButton::clicked, this, [this] {
        const int n = m_view.matte();
        if (n < 1 || !layer()) return;
        m_view.setMatte(n - 1);
        m_session.document.apply(
            {{"edit", "move-matte"}, {"layer", layer()->id}, {"matte", n + 1}, {"to", n}});
    });
    connect(remove, &QToolButton::clicked, this, [this] {
        if (m_view.matte() >= 0 && layer())
            m_session.document.apply(
                {{"edit", "remove-matte"}, {"layer", layer()->id}, {"matte", m_view.matte() + 1}});
    });
    if (m_view.matte() >= 0 && m_view.matte() < static_cast<int>(mattes.size()))
        buildMatte(layout, mattes[static_cast<std::size_t>(m_view.matte())]);
}

void CutPanel::buildMatte(QVBoxLayout* layout, const Json& matte) {
    const std::string at = "/mattes/" + std::to_string(m_view.matte());
    const auto combine = std::find(scene::combineNames.begin(), scene::combineNames.end(),
                                   matte["combine"].get<std::string>()) -
                         scene::combineNames.begin();
    auto* how = choice(layout, tr("It"), {tr("adds"), tr("subtracts"), tr("intersects"), tr("sums")},
                       static_cast<int>(combine),
                       tr("What it does to the mattes above it in the list. Sums: for the two sides of one "
                          "soft edge, which are solid together"));
    connect(how, &QComboBox::activated, this, [this](int i) {
        changeMatte("combine", scene::combineNames[static_cast<std::size_t>(i)], false);
    });
    buildMatteShape(layout, matte);
    number(layout, tr("Grow"), at + "/grow", 0, QStringLiteral("px"), 1, 1, 0.5,
           tr("Moves its edge outwards; below 0: inwards"),
           [this](double v) { changeMatte("grow", std::clamp(v, -200.0, 200.0), true); });
    number(layout, tr("Feather"), at + "/feather", 0, QStringLiteral("px"), 1, 1, 0.5,
           tr("Width of its soft edge"),
           [this](double v) { changeMatte("feather", std::clamp(v, 0.0, 1000.0), true); });
    number(layout, tr("Opacity"), at + "/opacity", 1, QStringLiteral("%"), 100, 0, 5,
           tr("How much it counts"),
           [this](double v) { changeMatte("opacity", std::clamp(v, 0.0, 1.0), true); });
    auto* invert = tick(layout, tr("Invert"), matte.value("invert", false), tr("What lies outside of it"));
    connect(invert, &QCheckBox::toggled, this, [this](bool on) { changeMatte("invert", on, false); });
    buildMatteKeys(layout, matte);
}

/// What only mattes of its kind have.
void CutPanel::buildMatteShape(QVBoxLayout* layout, const Json& matte) {
    const std::string at = "/mattes/" + std::to_string(m_view.matte());
    const std::string kind = matte["kind"];
    if (kind == "alike") {
        number(layout, tr("Tolerance"), at + "/tolerance", 10, QStringLiteral("%"), 1, 1, 1,
               tr("How far a colour may be off: percent of the way from black to white"),
               [this](double v) { changeMatte("tolerance", std::clamp(v, 0.0, 200.0), false); });
        number(layout, tr("Softness"), at + "/softness", 5, QStringLiteral("%"), 1, 1, 1,
               tr("From there to where nothing is taken"),
               [this](double v) { changeMatte("softness", std::clamp(v, 0.0, 200.0), false); });
        auto* touching = tick(layout, tr("Only what touches"), matte.value("touching", true),
                              tr("Only what hangs together with the place that was picked"));
        connect(touching, &QCheckBox::toggled, this, [this](bool on) { changeMatte("touching", on, false); });
    }
    if (kind == "subject")
        number(layout, tr("Refine"), at + "/refine", 8, QStringLiteral("px"), 1, 0, 1,
               tr("Width of the band at the edge in which hair and leaves become soft. Paint over what was "
                  "missed; Alt and "
                  "paint over what does not belong"),
               [this](double v) { changeMatte("refine", std::clamp(v, 0.0, 200.0), false); });
    if (kind == "layer") {
        QStringList names;
        std::vector<std::int64_t> ids;
        scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& other, const auto&) {
            if (other->group() || other->id == layer()->id) return;
            names << QString::fromStdString(other->name);
            ids.push_back(other->id);
        });
        const auto now = std::find(ids.begin(), ids.end(), matte["layer"].get<std::int64_t>());
        auto* which =
            choice(layout, tr("Layer"), names, now == ids.end() ? -1 : static_cast<int>(now - ids.begin()),
                   tr("The layer whose picture is the matte"));
        connect(which, &QComboBox::activated, this,
                [this, ids](int i) { changeMatte("layer", ids[static_cast<std::size_t>(i)], false); });
        auto* bright =
            tick(layout, tr("By its brightness"), matte.value("brightness", false), tr("Else by its alpha"));
        connect(bright, &QCheckBox::toggled, this, [this](bool on) { changeMatte("brightness", on, false); });
    }
}

void CutPanel::buildMatteKeys(QVBoxLayout* layout, const Json& matte) {
    const std::string kind = matte["kind"];
    // What may be keyed: its shape where it has one to draw, and its edge.
    std::vector<std::string> members = {"grow", "feather", "opacity"};
    if (kind == "outline") members.emplace_back("points");
    if (kind == "rectangle" || kind == "ellipse") members.emplace_back("area");
    const bool keyed = std::any_of(members.begin(), members.end(), [&](const std::string& member) {
        return matte[member].is_object() && matte[member].contains("keys");
    });
    auto* moves = tick(
        layout, tr("Moves in time"), keyed,
        tr("On: a shape or number changed at the playhead sets a key there, and it runs from key to key"));
    connect(moves, &QCheckBox::toggled, this, [this, members](bool on) {
        const auto l = layer();
        if (!l || m_view.matte() < 0) return;
        const Json now = cutout()["mattes"][static_cast<std::size_t>(m_view.matte())];
        Json change = Json::object();
        for (const std::string& member : members) {
            const Json& value = now[member];
            const bool has = value.is_object() && value.contains("keys");
            if (on && !has)
                change[member] = {{"keys", {{{"time", m_session.playhead.time().text()}, {"value", value}}}}};
            else if (!on && has)
                change[member] = value["keys"][0]["value"];
        }
        m_session.document.apply(
            {{"edit", "matte"}, {"layer", l->id}, {"matte", m_view.matte() + 1}, {"change", change}});
    });
}

void CutPanel::buildKey(QVBoxLayout* layout, const Json& now) {
    section(layout, tr("Key"));
    const Json key = now.value("key", Json::object());
    const std::string kind = key.value("kind", "");
    const char* kinds[] = {"", "colour", "brightness", "difference"};
    int index = 0;
    for (int i = 1; i < 4; ++i)
        if (kind == kinds[i]) index = i;
    auto* which =
        choice(layout, tr("By"), {tr("nothing"), tr("colour"), tr("brightness"), tr("difference")}, index,
               tr("Colour: a green or blue screen. Brightness: smoke or fire over black. Difference: to a "
                  "clean plate, a picture without the subject"));
    connect(which, &QComboBox::activated, this, [this, kinds](int i) {
        const auto l = layer();
        if (!l) return;
        if (i == 3) {
            const QString plate = QFileDialog::getOpenFileName(this, tr("Clean plate"));
            if (plate.isEmpty()) return m_shape.clear(), refresh();
            m_session.document.apply({{"edit", "cut-out"},
                                      {"layers", {l->id}},
                                      {"key", {{"kind", "difference"}, {"plate", plate.toStdString()}}}});
            return;
        }
        m_session.document.apply(
            {{"edit", "cut-out"}, {"layers", {l->id}}, {"key", i == 0 ? Json() : Json{{"kind", kinds[i]}}}});
    });
    const auto row = [&](const QString& name, const char* member, double otherwise, double scale, double low,
                         double high, const QString& tip) {
        number(layout, name, std::string("/key/") + member, otherwise, QStringLiteral("%"), scale, 0, 2, tip,
               [this, member, low, high](double v) { change("key", member, std::clamp(v, low, high)); });
    };
    if (kind == "colour") {
        auto* screen = colourButton(key.value("screen", Json()));
        screen->setToolTip(tr("Then click on the screen in the picture"));
        line(layout, tr("Screen"), screen, fieldWidth);
        connect(screen, &QPushButton::clicked, this, [this] {
            m_view.pickColour([this](const scene::Colour& c) { change("key", "screen", scene::toJson(c)); });
        });
        row(tr("Tolerance"), "tolerance", 8, 1, 0, 100,
            tr("How much weaker the screen may be and still be clear"));
        row(tr("Softness"), "softness", 84, 1, 0, 200, tr("From clear to solid; less makes edges harder"));
        row(tr("Spill removal"), "spill", 1, 100, 0, 1,
            tr("How much of the screen's colour is taken out of the rest"));
        row(tr("Keep light"), "keepLight", 0.5, 100, 0, 1,
            tr("How much of the light that goes with the spill stays, as grey"));
    } else if (kind == "brightness") {
        row(tr("Clear below"), "low", 0, 1, 0, 100, tr("Percent of white"));
        row(tr("Solid above"), "high", 100, 1, 0, 1000, tr("Percent of white"));
        auto* invert =
            tick(layout, tr("Over white"), key.value("invert", false), tr("Clear where it is bright"));
        connect(invert, &QCheckBox::toggled, this, [this](bool on) { change("key", "invert", on); });
    } else if (kind == "difference") {
        row(tr("Tolerance"), "tolerance", 4, 1, 0, 100,
            tr("How far a colour may be off the plate and still be clear"));
        row(tr("Softness"), "softness", 6, 1, 0, 100, tr("From clear to solid"));
    }
}

void CutPanel::buildEdges(QVBoxLayout* layout) {
    section(layout, tr("Edges"));
    const auto row = [&](const QString& name, const char* member, double otherwise, const QString& unit,
                         double scale, int decimals, double low, double high, const QString& tip) {
        number(layout, name, std::string("/edges/") + member, otherwise, unit, scale, decimals,
               unit == QStringLiteral("%") ? 5 : 0.5, tip,
               [this, member, low, high](double v) { change("edges", member, std::clamp(v, low, high)); });
    };
    row(tr("Choke"), "choke", 0, QStringLiteral("px"), 1, 1, -200, 200,
        tr("Moves the edge of the whole cut inwards; below 0: outwards"));
    row(tr("Feather"), "feather", 0, QStringLiteral("px"), 1, 1, 0, 1000,
        tr("Softens the edge of the whole cut"));
    row(tr("Clean"), "clean", 0, QStringLiteral("%"), 100, 0, 0, 1,
        tr("Edge pixels take the colour of what lies inside, so that no rim of what was behind is left"));
    row(tr("Reach"), "reach", 6, QStringLiteral("px"), 1, 1, 0.5, 200,
        tr("How far inside that colour is looked for"));
    row(tr("Clear below"), "low", 0, QStringLiteral("%"), 100, 0, 0, 1, tr("Alpha up to this becomes 0"));
    row(tr("Solid above"), "high", 1, QStringLiteral("%"), 100, 0, 0, 1,
        tr("Alpha from this on becomes 100"));
}

void CutPanel::buildFills(QVBoxLayout* layout, const Json& now) {
    const Json fills = now.value("fills", Json::array());
    section(layout, tr("Filled holes"));
    if (fills.empty()) {
        auto* hint =
            new QLabel(tr("With the bucket, draw around what shall be filled from its surroundings."));
        hint->setObjectName(QStringLiteral("dim"));
        hint->setWordWrap(true);
        layout->addWidget(hint);
        return;
    }
    for (std::size_t n = 0; n < fills.size(); ++n) {
        const auto set = [this, n](const char* member, const Json& value) {
            if (const auto l = layer())
                m_session.document.apply(
                    {{"edit", "fill"}, {"layer", l->id}, {"fill", n + 1}, {"change", {{member, value}}}});
        };
        auto* row = new QHBoxLayout;
        auto* name = new QLabel(tr("Hole %1").arg(n + 1));
        row->addWidget(name);
        row->addStretch();
        auto* again = new QPushButton(tr("Try another"));
        again->setToolTip(tr("Fills it differently"));
        auto* remove = smallButton(QStringLiteral("trash-2"), tr("Remove this filling"));
        row->addWidget(again);
        row->addWidget(remove);
        layout->addLayout(row);
        number(layout, tr("Grown by"), "/fills/" + std::to_string(n) + "/grow", 6, QStringLiteral("px"), 1, 0,
               1, tr("The hole is grown before it is filled, so that no trace of the thing is left"),
               [set](double v) { set("grow", std::clamp(v, 0.0, 200.0)); });
        connect(again, &QPushButton::clicked, this,
                [this, set, n] { set("seed", cutout()["fills"][n].value("seed", 0) + 1); });
        connect(remove, &QToolButton::clicked, this, [this, n] {
            if (const auto l = layer())
                m_session.document.apply({{"edit", "remove-fill"}, {"layer", l->id}, {"fill", n + 1}});
        });
    }
}

void CutPanel::buildMatch(QVBoxLayout* layout, const Json& now) {
    section(layout, tr("Match"));
    const Json match = now.value("match", Json::object());
    QStringList names = {tr("no layer")};
    std::vector<std::int64_t> ids = {0};
    scene::forEach(*m_session.scene(), [&](const scene::LayerPtr& other, const auto&) {
        if (other->group() || other->id == layer()->id) return;
        names << QString::fromStdString(other->name);
        ids.push_back(other->id);
    });
    const auto at = std::find(ids.begin(), ids.end(), match.value("like", std::int64_t{0}));
    auto* like =
        choice(layout, tr("Colours like"), names, at == ids.end() ? 0 : static_cast<int>(at - ids.begin()),
               tr("Takes the mean and the spread of that layer's colours"));
    connect(like, &QComboBox::activated, this,
            [this, ids](int i) { change("match", "like", ids[static_cast<std::size_t>(i)]); });
    auto* grey = colourButton(match.value("grey", Json()));
    grey->setToolTip(tr("Then click on what shall be a neutral grey"));
    line(layout, tr("Grey point"), grey, fieldWidth);
    connect(grey, &QPushButton::clicked, this, [this] {
        m_view.pickColour([this](const scene::Colour& c) { change("match", "grey", scene::toJson(c)); });
    });
    auto* automatic = tick(layout, tr("Neutral on the whole"), match.value("automatic", false),
                           tr("The mean of the picture becomes grey"));
    connect(automatic, &QCheckBox::toggled, this, [this](bool on) { change("match", "automatic", on); });
    auto* whole = tick(layout, tr("Of the uncut picture"), match.value("whole", false),
                       tr("The colours of all of the picture count, also of what is cut away"));
    connect(whole, &QCheckBox::toggled, this, [this](bool on) { change("match", "whole", on); });
    number(layout, tr("Strength"), "/match/strength", 1, QStringLiteral("%"), 100, 0, 5, tr("0: as it was"),
           [this](double v) { change("match", "strength", std::clamp(v, 0.0, 1.0)); });
    if (now.contains("match")) {
        auto* off = new QPushButton(tr("Remove the match"));
        connect(off, &QPushButton::clicked, this, [this] {
            if (const auto l = layer())
                m_session.document.apply({{"edit", "cut-out"}, {"layers", {l->id}}, {"match", nullptr}});
        });
        layout->addWidget(off);
    }
}

}
