//! What would happen if two lines met: looked at without touching anything, and begun if wanted.

pub(crate) mod begin;
pub(crate) mod command_settings;
pub(crate) mod counterparts;
pub(crate) mod meeting;
pub(crate) mod obstacles;
pub(crate) mod sandbox;
pub(crate) mod state;
