//! Pictures of a merge for reviews and for the next person: what moved, the two lines of commits, what
//! was decided.
//!
//! A picture is a [`Scene`] of shapes and text made from core's values; it is written as SVG and as PDF,
//! with its own font in it, so text can be selected and nothing of the system is needed. This crate
//! opens no file: it writes into whatever it is given.
#![deny(missing_docs)]

mod font;
mod history;
mod moves;
mod pdf_file;
mod record;
mod scene;
mod svg_file;

pub use history::{CommitDot, HistoryPicture, history_scene};
pub use moves::{MovedFile, MovesPicture, moves_scene};
pub use pdf_file::write_pdf;
pub use record::record_scene;
pub use scene::{Colour, Page, Scene, Shape};
pub use svg_file::write_svg;
