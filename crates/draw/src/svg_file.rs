//! A scene as SVG: its pages below one another, its font inside.

use crate::font::Font;
use crate::scene::{Colour, Scene, Shape};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::io::{self, Write};
use svg::Document;
use svg::node::element::{Circle, Polyline, Rectangle, Style, Text, Title};

fn colour(colour: Colour) -> String {
    let [r, g, b] = colour.rgb();
    format!("#{r:02x}{g:02x}{b:02x}")
}

/// Writes a scene as one SVG document.
///
/// # Errors
/// Those of the writer.
///
/// ```
/// use armistice_draw::{Page, Scene, write_svg};
/// let scene = Scene { title: "nothing".to_owned(), width: 100.0, pages: vec![Page::default()] };
/// let mut out = Vec::new();
/// write_svg(&scene, &mut out).unwrap();
/// assert!(String::from_utf8(out).unwrap().contains("<svg"));
/// ```
pub fn write_svg(scene: &Scene, out: impl Write) -> io::Result<()> {
    let height: f32 = scene.pages.iter().map(|page| page.height).sum();
    let texts = scene.pages.iter().flat_map(|page| &page.shapes);
    let chars = texts.filter_map(|shape| match shape {
        Shape::Text { text, .. } => Some(text.chars()),
        _ => None,
    });
    let subset = Font::new().subset(chars.flatten());
    let font = subset.map_or(String::new(), |subset| {
        let file = STANDARD.encode(subset.with_characters());
        format!("@font-face{{font-family:A;src:url(data:font/ttf;base64,{file})}}")
    });
    let mut document = Document::new()
        .set(
            "viewBox",
            (0, 0, scene.width.ceil() as i32, height.ceil() as i32),
        )
        .set("width", scene.width.ceil())
        .set("height", height.ceil())
        .add(Title::new(scene.title.as_str()))
        .add(Style::new(format!(
            "{font}text{{font-family:A,sans-serif;white-space:pre}}"
        )))
        .add(
            Rectangle::new()
                .set("width", "100%")
                .set("height", "100%")
                .set("fill", "#ffffff"),
        );
    let mut top = 0.0;
    for page in &scene.pages {
        for shape in &page.shapes {
            document = with(document, shape, top);
        }
        top += page.height;
    }
    svg::write(out, &document)
}

fn with(document: Document, shape: &Shape, top: f32) -> Document {
    match shape {
        Shape::Box {
            at: [x, y, w, h],
            colour: of,
            hollow,
        } => {
            let shape = Rectangle::new()
                .set("x", *x)
                .set("y", y + top)
                .set("width", *w)
                .set("height", *h);
            document.add(match hollow {
                true => shape.set("fill", "none").set("stroke", colour(*of)),
                false => shape.set("fill", colour(*of)),
            })
        }
        Shape::Line {
            points,
            colour: of,
            width,
        } => {
            let points: Vec<String> = points
                .iter()
                .map(|[x, y]| format!("{x},{}", y + top))
                .collect();
            document.add(
                Polyline::new()
                    .set("points", points.join(" "))
                    .set("fill", "none")
                    .set("stroke", colour(*of))
                    .set("stroke-width", *width)
                    .set("stroke-linejoin", "round"),
            )
        }
        Shape::Disc {
            at: [x, y],
            radius,
            colour: of,
        } => document.add(
            Circle::new()
                .set("cx", *x)
                .set("cy", y + top)
                .set("r", *radius)
                .set("fill", colour(*of)),
        ),
        Shape::Text {
            at: [x, y],
            size,
            colour: of,
            text,
        } => document.add(
            Text::new(text.as_str())
                .set("x", *x)
                .set("y", y + top)
                .set("font-size", *size)
                .set("fill", colour(*of)),
        ),
    }
}
