//! One opened case without any view: reading, choices, evidence, rules, finishing.

pub mod card_lines;
pub mod checks;
pub mod choices;
pub mod drawings;
pub mod evidence;
pub mod findings;
pub mod finish;
pub mod foresee;
mod foresee_words;
pub mod load;
pub mod opened;
pub mod parser_witness;
pub mod place;
pub mod planning;
pub mod propose;
pub mod records;
pub mod ruling_proofs;
pub mod service;
pub mod staged_diff;
pub mod stakes;
pub mod steps;
pub mod trust;
