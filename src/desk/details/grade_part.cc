#include "desk/details/grade_part.h"

#include "desk/details/point_curve.h"
#include "desk/jobs/background.h"
#include "desk/kit/form.h"
#include "grade/grading.h"
#include "media/raster.h"
#include "scene/grade_json.h"
#include "scene/scene_json.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace stage::desk {
namespace {

/// What a curve makes of greys as they are shown.
std::vector<double> drawn(const std::vector<PointCurve::Point>& points, int count) {
    auto grade = std::make_shared<scene::Grade>();
    for (const auto& point : points)
        grade->curves[0].push_back({point.at, point.value});
    std::vector<float> greys(4 * static_cast<std::size_t>(count), 1.f);
    for (std::size_t i = 0; i < greys.size(); ++i)
        if (i % 4 != 3)
            greys[i] = media::linearFromSrgb(static_cast<float>(i / 4) / static_cast<float>(count - 1));
    if (const auto grading = grade::gradingOf({grade}); grading && *grading)
        (*grading)->apply(greys.data(), static_cast<std::size_t>(count));
    std::vector<double> values;
    for (std::size_t i = 0; i < greys.size(); i += 4)
        values.push_back(static_cast<double>(media::srgbFromLinear(greys[i])));
    return values;
}

}

GradePart::GradePart(Session& session, bool whole) : Part(session), m_whole(whole) {
    m_rows.section(whole ? tr("Grade of the picture") : tr("Grade"));
    m_rows.tick(
        tr("Shown"), tr("Off: as it was before"), [this] { return grade().on; },
        [this](bool on) {
            change({{"on", on}});
        });
    number(tr("Exposure"), plain(tr("stops"), 2, 0.1), tr("Each stop is twice the light"), "exposure",
           &scene::Grade::exposure, -20, 20);
    number(tr("Warmth"), plain(tr("mired"), 0, 5),
           tr("Light as if it came from a warmer lamp; below 0: colder"), "warmth", &scene::Grade::warmth,
           -80, 300);
    number(tr("Tint"), plain({}, 1, 1), tr("Towards magenta; below 0: towards green"), "tint",
           &scene::Grade::tint, -50, 50);
    number(tr("Contrast"), plain({}, 2, 0.05), tr("1: as it is"), "contrast", &scene::Grade::contrast, 0.01,
           10);
    number(tr("About"), plain({}, 3, 0.01),
           tr("The light that contrast leaves as it is; 0.18 is a middle grey"), "pivot",
           &scene::Grade::pivot, 0.001, 10);
    number(tr("Saturation"), plain({}, 2, 0.05), tr("0: without colour, 1: as it is"), "saturation",
           &scene::Grade::saturation, 0, 10);
    three(tr("Slope"), tr("Times the light (ASC CDL)"), 0.02, "slope", &scene::Grade::slope, 0, 100);
    three(tr("Offset"), tr("Light that is added (ASC CDL)"), 0.005, "offset", &scene::Grade::offset, -10, 10);
    three(tr("Power"), tr("Above 1: darker between black and white (ASC CDL)"), 0.02, "power",
          &scene::Grade::power, 0.01, 10);
    addCurves();
    addLook();
    auto* off = new QPushButton(tr("Take the grade off"));
    m_rows.layout()->addWidget(off);
    connect(off, &QPushButton::clicked, this, [this] { change({{"remove", true}}); });
    m_rows.onRefresh([this, off] {
        off->setEnabled(m_whole ? grade() != scene::Grade() : layer() && layer()->grade != nullptr);
    });
}

bool GradePart::applies() const {
    if (m_whole) return m_session.selection.layers().empty();
    return layer() && !layer()->box();
}

const scene::Grade& GradePart::grade() const {
    static const scene::Grade none;
    if (m_whole) return m_session.scene()->grade;
    return layer() && layer()->grade ? *layer()->grade : none;
}

void GradePart::change(const scene::Json& members, bool settled) {
    if (!applies()) return;
    scene::Json edit = {{"edit", "grade"}};
    if (!m_whole) edit["layers"] = {layer()->id};
    edit.update(members);
    if (!settled) {
        m_session.document.preview(edit);
        return;
    }
    m_session.document.dropPreview();
    apply(edit);
}

void GradePart::number(const QString& name, const NumberStyle& style, const QString& tip, const char* member,
                       double scene::Grade::*value, double low, double high) {
    m_rows.number(
        name, style, tip, [this, value] { return grade().*value; },
        [this, member, low, high](double v) {
            change({{member, std::clamp(v, low, high)}});
        });
}

void GradePart::three(const QString& name, const QString& tip, double step, const char* member,
                      V3d scene::Grade::*value, double low, double high) {
    const QString colours[] = {tr("%1, red"), tr("%1, green"), tr("%1, blue")};
    for (int i = 0; i < 3; ++i)
        m_rows.number(
            colours[i].arg(name), plain({}, 3, step), tip, [this, value, i] { return (grade().*value)[i]; },
            [this, value, i, member, low, high](double v) {
                V3d next = grade().*value;
                next[i] = std::clamp(v, low, high);
                change({{member, scene::toJson(next)}});
            });
}

void GradePart::addCurves() {
    m_rows.section(m_whole ? tr("Curves of the picture") : tr("Curves"));
    m_colours = new QComboBox;
    m_colours->addItems({tr("all colours"), tr("red"), tr("green"), tr("blue")});
    line(m_rows.layout(), tr("Of"), m_colours, 118);
    PointCurve::Style style;
    style.tip =
        tr("Values as they are shown: what goes in to the right, what comes out upwards. Drag points; a "
           "double click adds one, and one that is dragged out is taken off");
    style.usual = {{0, 0}, {1, 1}};
    style.most = scene::Grade::mostPoints;
    style.height = 150;
    style.apart = true;
    style.drawn = drawn;
    auto* curve = new PointCurve(m_whole ? tr("Curve of the picture") : tr("Curve of the layer"), style);
    m_rows.layout()->addWidget(curve);
    connect(curve, &PointCurve::changed, this,
            [this](const std::vector<PointCurve::Point>& points, bool settled) {
                scene::Json list = scene::Json::array();
                for (const auto& point : points)
                    list.push_back({point.at, point.value});
                const auto which = static_cast<std::size_t>(m_colours->currentIndex());
                change({{"curves", {{std::string(scene::gradeCurveNames[which]), list}}}}, settled);
            });
    const auto show = [this, curve] {
        std::vector<PointCurve::Point> points;
        for (const auto& point : grade().curves[static_cast<std::size_t>(m_colours->currentIndex())])
            points.push_back({point.in, point.out});
        curve->setPoints(points);
    };
    m_rows.onRefresh(show);
    connect(m_colours, &QComboBox::currentIndexChanged, this, show);
}

void GradePart::addLook() {
    m_rows.section(m_whole ? tr("Look of the picture") : tr("Look"));
    auto* file = new QPushButton;
    file->setToolTip(tr("A file of colours: .cube, .cdl, .cc or .ccc"));
    line(m_rows.layout(), tr("File"), file, 118);
    connect(file, &QPushButton::clicked, this, [this] { chooseLook(); });
    m_rows.onRefresh([this, file] {
        const QString path = QString::fromStdString(grade().look.path);
        file->setText(path.isEmpty() ? tr("Choose…") : QFileInfo(path).fileName());
    });
    m_rows.note("warning", [this] {
        const QString path = QString::fromStdString(grade().look.path);
        return path.isEmpty() || QFileInfo::exists(path) ? QString() : tr("Missing: %1").arg(path);
    });
    m_part = new QComboBox;
    line(m_rows.layout(), tr("Part"), m_part, 118);
    m_rows.onRefresh([this] { fillParts(); });
    connect(m_part, &QComboBox::activated, this, [this] {
        change({{"look", {{"part", m_part->currentData().toString().toStdString()}}}});
    });
    m_rows.choice(
        tr("Made for"), {tr("shown values"), tr("linear light")}, tr("What the numbers in the file mean"),
        [this] { return static_cast<int>(grade().look.values); },
        [this](int i) {
            change({{"look", {{"values", scene::lookValuesNames[static_cast<std::size_t>(i)]}}}});
        });
    m_rows.share(
        tr("Strength"), percent(5), tr("How much of the look"), [this] { return grade().look.strength; },
        [this](double v) {
            change({{"look", {{"strength", std::clamp(v, 0.0, 1.0)}}}});
        });
}

void GradePart::chooseLook() {
    const QString path = QFileDialog::getOpenFileName(
        this, tr("Look"), QFileInfo(QString::fromStdString(grade().look.path)).absolutePath(),
        tr("Looks (*.cube *.cdl *.cc *.ccc);;All files (*)"));
    if (path.isEmpty()) return;
    // Read before the edit asks for it, which finds it kept then: a large or broken file takes seconds.
    auto alone = std::make_shared<scene::Grade>();
    alone->look = grade().look;
    alone->look.path = QFileInfo(path).absoluteFilePath().toStdString();
    alone->look.part.clear();
    alone->look.strength = 1;
    inBackground<grade::GradingPtr>(
        this, tr("Reading the look"), [alone](const Progress&) { return grade::gradingOf({alone}); },
        [this, path](const Result<grade::GradingPtr>& read) {
            if (read)
                change({{"look", {{"path", path.toStdString()}, {"part", ""}}}});
            else
                Q_EMIT m_session.problem(QString::fromStdString(read.error().sentence));
        });
}

/// Reads the file only where it is another one.
void GradePart::fillParts() {
    const QString path = QString::fromStdString(grade().look.path);
    if (path != m_partsOf) {
        m_partsOf = path;
        m_part->clear();
        m_part->addItem(tr("the first"), QString());
        if (const auto parts =
                path.isEmpty() ? Result<std::vector<std::string>>() : grade::partsOf(path.toStdString()))
            for (const std::string& id : *parts)
                m_part->addItem(QString::fromStdString(id), QString::fromStdString(id));
    }
    m_part->setEnabled(m_part->count() > 2);
    m_part->setCurrentIndex(std::max(0, m_part->findData(QString::fromStdString(grade().look.part))));
}

// ---- by depth

DepthGradePart::DepthGradePart(Session& session) : Part(session) {
    m_rows.section(tr("Grade by depth"));
    m_which = m_rows.which(
        tr("What stands between two depths can be graded on its own, in several ranges"),
        [this] { return static_cast<int>(m_session.scene()->depthGrades.size()); }, [this] { refresh(); });
    const auto now = [this] { return chosen() ? *chosen() : scene::DepthGrade{}; };
    const auto length = [&](const QString& name, const QString& tip, double scene::DepthGrade::*value) {
        m_rows.number(
            name, metres(0.5), tip, [now, value] { return now().*value; },
            [this, value](double v) {
                change([&](scene::DepthGrade& grade) {
                    grade.*value = std::clamp(v, 0.0, 1e7);
                    grade.to = std::max(grade.from, grade.to);
                });
            });
    };
    length(tr("From depth"), tr("Metres from the lens along its axis"), &scene::DepthGrade::from);
    length(tr("To depth"), tr("Metres from the lens along its axis"), &scene::DepthGrade::to);
    length(tr("Soft ends"), tr("Metres over which it begins and ends, outside of the two"),
           &scene::DepthGrade::soft);
    const auto number = [&](const QString& name, const NumberStyle& style, const QString& tip,
                            double scene::Grade::*value, double low, double high) {
        m_rows.number(
            name, style, tip, [now, value] { return now().grade.*value; },
            [this, value, low, high](double v) {
                change([&](scene::DepthGrade& grade) { grade.grade.*value = std::clamp(v, low, high); });
            });
    };
    number(tr("Range exposure"), plain(tr("stops"), 2, 0.1), tr("Each stop is twice the light"),
           &scene::Grade::exposure, -20, 20);
    number(tr("Range warmth"), plain(tr("mired"), 0, 5),
           tr("Light as if it came from a warmer lamp; below 0: colder"), &scene::Grade::warmth, -80, 300);
    number(tr("Range contrast"), plain({}, 2, 0.05), tr("1: as it is"), &scene::Grade::contrast, 0.01, 10);
    number(tr("Range saturation"), plain({}, 2, 0.05), tr("0: without colour, 1: as it is"),
           &scene::Grade::saturation, 0, 10);
    auto* off = new QPushButton(tr("Take this range off"));
    m_rows.layout()->addWidget(off);
    connect(off, &QPushButton::clicked, this, [this] {
        std::vector<scene::DepthGrade> grades = m_session.scene()->depthGrades;
        grades.erase(grades.begin() + m_which->currentIndex());
        set(grades);
    });
    m_rows.onRefresh([this, off] { off->setEnabled(chosen() != nullptr); });
}

const scene::DepthGrade* DepthGradePart::chosen() const {
    const auto& grades = m_session.scene()->depthGrades;
    const auto at = static_cast<std::size_t>(std::max(0, m_which->currentIndex()));
    return at < grades.size() ? &grades[at] : nullptr;
}

void DepthGradePart::change(const std::function<void(scene::DepthGrade&)>& how) {
    std::vector<scene::DepthGrade> grades = m_session.scene()->depthGrades;
    const auto at = static_cast<std::size_t>(std::max(0, m_which->currentIndex()));
    if (at >= grades.size()) grades.emplace_back();
    how(grades[std::min(at, grades.size() - 1)]);
    set(grades);
}

void DepthGradePart::set(const std::vector<scene::DepthGrade>& grades) {
    apply({{"edit", "depth-grades"}, {"depthGrades", scene::toJson(grades)}});
}

}
