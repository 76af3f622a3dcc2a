//! Layout: what is where on the screen, and what a click means. Computed from the state alone; draws nothing.

pub mod areas;
pub mod ask;
pub mod bars;
pub mod cards;
pub mod check_rows;
pub mod check_runs;
pub mod draft_rows;
pub mod evidence;
pub mod following;
pub mod gate;
pub mod given_up;
pub mod hit;
pub mod new_text;
pub mod overview;
pub mod questions;
pub mod scout;
pub mod staged;
pub mod terrain;
pub mod who;
pub mod whole_line;
pub mod working;
pub mod wrapping;
