//! Opens the screens.

use crate::base::keymap::{use_keymap, with_other_keys};
use crate::base::settings::Settings;
use crate::base::theme::{Ground, Theme, ThemeOptions};
use crate::case::service::CaseService;
use crate::commands::exit::Exit;
use crate::commands::output::complain;
use crate::run::runtime::{Asked, Ended, run};
use anyhow::{Result, anyhow};
use armistice_git::Repository;
use std::env;
use std::path::Path;

pub(crate) fn screens(
    folder: &Path,
    asked: Option<Asked>,
    ground: Ground,
    ascii: bool,
) -> Result<Exit> {
    let folder = folder.to_owned();
    let open = move || Ok(CaseService::new(Repository::discover(&folder)?));
    show(open, asked, ground, ascii)?;
    Ok(Exit::Done)
}

/// Opens the screens on what `open` finds.
pub(crate) fn show(
    open: impl FnOnce() -> Result<CaseService> + Send + 'static,
    asked: Option<Asked>,
    ground: Ground,
    ascii: bool,
) -> Result<()> {
    let variable = |name| env::var(name).unwrap_or_default();
    let (colorterm, term, colorfgbg) = (
        variable("COLORTERM"),
        variable("TERM"),
        variable("COLORFGBG"),
    );
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"]
        .into_iter()
        .map(variable)
        .find(|v| !v.is_empty());
    // Only a locale that says it is something else rules the marks out.
    let ascii = ascii || locale.is_some_and(|l| l == "C" || l == "POSIX");
    let theme = Theme::new(&ThemeOptions {
        ground,
        plain_marks: ascii,
        no_color: !variable("NO_COLOR").is_empty(),
        colorterm: &colorterm,
        term: &term,
        colorfgbg: &colorfgbg,
    });
    let settings = Settings::read()?;
    use_keymap(with_other_keys(&settings.keys).map_err(|why| anyhow!(why))?);
    if run(open, asked, theme, settings)? == Ended::GitStopped {
        complain!("git was still running and was stopped; 'armistice' shows the current state");
    }
    Ok(())
}
