//! What all other folders use: commands and keys, settings, theme, text that is safe to show, the editor.

pub mod commands;
pub mod editor;
pub mod json;
pub mod keymap;
pub mod party_words;
pub mod path_settings;
pub mod project_checks;
pub mod safe_text;
pub mod settings;
pub mod theme;
