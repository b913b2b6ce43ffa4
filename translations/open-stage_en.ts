<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" language="en" sourcelanguage="en">
<context>
    <name>QObject</name>
    <message numerus="yes">
        <source>Push %n layer(s)</source>
        <translation>
            <numerusform>Push %n layer</numerusform>
            <numerusform>Push %n layers</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::CameraPart</name>
    <message numerus="yes">
        <source>%n blade(s)</source>
        <translation>
            <numerusform>%n blade</numerusform>
            <numerusform>%n blades</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::CurveView</name>
    <message numerus="yes">
        <source>%n key(s)</source>
        <translation>
            <numerusform>%n key</numerusform>
            <numerusform>%n keys</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::DetailsPanel</name>
    <message numerus="yes">
        <source>%n layer(s)</source>
        <translation>
            <numerusform>%n layer</numerusform>
            <numerusform>%n layers</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::GuideWindow</name>
    <message numerus="yes">
        <source>%n place(s)</source>
        <translation>
            <numerusform>%n place</numerusform>
            <numerusform>%n places</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::HangingPart</name>
    <message numerus="yes">
        <source>%n key(s) of place: moving it moves them all</source>
        <translation>
            <numerusform>%n key of place: moving it moves them all</numerusform>
            <numerusform>%n keys of place: moving it moves them all</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::KeyCommands</name>
    <message numerus="yes">
        <source>%n key(s) copied.</source>
        <translation>
            <numerusform>%n key copied.</numerusform>
            <numerusform>%n keys copied.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::LayerClipboard</name>
    <message numerus="yes">
        <source>Copied %n layer(s).</source>
        <translation>
            <numerusform>Copied %n layer.</numerusform>
            <numerusform>Copied %n layers.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::MediaFiles</name>
    <message numerus="yes">
        <source>%n file(s) still missing, such as %1.</source>
        <translation>
            <numerusform>%n file still missing, such as %1.</numerusform>
            <numerusform>%n files still missing, such as %1.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::SceneFiles</name>
    <message numerus="yes">
        <source>Wrote %1: %n file(s), %2.</source>
        <translation>
            <numerusform>Wrote %1: %n file, %2.</numerusform>
            <numerusform>Wrote %1: %n files, %2.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%1 was not saved when the program ended: %n edit(s) can be recovered.</source>
        <translation>
            <numerusform>%1 was not saved when the program ended: %n edit can be recovered.</numerusform>
            <numerusform>%1 was not saved when the program ended: %n edits can be recovered.</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>A scene without a file was being worked on when the program ended: %n edit(s) can be recovered.</source>
        <translation>
            <numerusform>A scene without a file was being worked on when the program ended: %n edit can be recovered.</numerusform>
            <numerusform>A scene without a file was being worked on when the program ended: %n edits can be recovered.</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::StatusLine</name>
    <message numerus="yes">
        <source>▲  %n layer(s) without media</source>
        <translation>
            <numerusform>▲  %n layer without media</numerusform>
            <numerusform>▲  %n layers without media</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>●  %n layer(s), all media present</source>
        <translation>
            <numerusform>●  %n layer, all media present</numerusform>
            <numerusform>●  %n layers, all media present</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>▲ %n finding(s)</source>
        <translation>
            <numerusform>▲ %n finding</numerusform>
            <numerusform>▲ %n findings</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::Timeline</name>
    <message numerus="yes">
        <source>by %1 s, %n frame(s)</source>
        <translation>
            <numerusform>by %1 s, %n frame</numerusform>
            <numerusform>by %1 s, %n frames</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n key(s) by %1 s</source>
        <translation>
            <numerusform>%n key by %1 s</numerusform>
            <numerusform>%n keys by %1 s</numerusform>
        </translation>
    </message>
</context>
<context>
    <name>stage::desk::OutputWriter</name>
    <message numerus="yes">
        <source>, %n more</source>
        <translation>
            <numerusform>, %n more</numerusform>
            <numerusform>, %n more</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>%n job(s) waiting</source>
        <translation>
            <numerusform>%n job waiting</numerusform>
            <numerusform>%n jobs waiting</numerusform>
        </translation>
    </message>
    <message numerus="yes">
        <source>▲ %n job(s) not written</source>
        <translation>
            <numerusform>▲ %n job not written</numerusform>
            <numerusform>▲ %n jobs not written</numerusform>
        </translation>
    </message>
</context>
</TS>
