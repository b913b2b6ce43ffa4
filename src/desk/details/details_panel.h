// Numbers of what is selected: a layer's place, what the lens makes of it, its look; with no layer, the
// camera.
#pragma once

#include "desk/kit/number_field.h"
#include "desk/time/pace_choice.h"

#include <QTimer>
#include <QWidget>

class QCheckBox;
class QComboBox;
class QFontComboBox;
class QLabel;
class QPlainTextEdit;
class QPushButton;
class QVBoxLayout;

namespace stage::desk {

class ContentPart;
class HangingPart;
class TimePart;

class DetailsPanel : public QWidget {
    Q_OBJECT
public:
    explicit DetailsPanel(Session& session, QWidget* parent = nullptr);

Q_SIGNALS:
    void titleChanged(const QString& title, const QString& note);

private:
    QWidget* makeLayerPage();
    QWidget* makeCameraPage();
    QWidget* makeManyPart();
    void scaleTo(double across, double up);
    void refresh();
    void refreshLayer(const scene::LayerPath& found);
    void refreshCamera();
    void measureTravel();
    QLabel* reading(QVBoxLayout* layout, const QString& name, const QString& tip);

    Session& m_session;
    QTimer m_settled;
    QWidget *m_layerPage, *m_cameraPage, *m_textPart;
    // layer
    NumberField *m_depth, *m_across, *m_height, *m_width, *m_layerHeight, *m_turn, *m_lean, *m_roll,
        *m_opacity;
    QLabel *m_sizeInFrame, *m_distance, *m_enlargement, *m_blur, *m_travel, *m_missing;
    QCheckBox* m_locked;
    QWidget *m_manyPart, *m_onePart;
    HangingPart* m_hanging;
    TimePart* m_time;
    QComboBox* m_blend;
    QCheckBox* m_inDepth;
    QComboBox* m_iris;
    NumberField *m_irisTurn, *m_shutter, *m_haze, *m_hazeStart;
    QPushButton* m_hazeColour;
    QPlainTextEdit* m_text;
    QFontComboBox* m_font;
    QComboBox* m_style;
    QPushButton* m_fill;
    ContentPart* m_content;
    // camera
    NumberField *m_camAcross, *m_camHeight, *m_camAlong, *m_pan, *m_tilt, *m_camRoll, *m_focal;
    PaceChoice* m_pace;
    QComboBox* m_gate;
    QLabel *m_sharp, *m_hyperfocal;
    NumberField *m_fstop, *m_focus;
    QLabel *m_speed, *m_turning, *m_cameraNote;
};

}
