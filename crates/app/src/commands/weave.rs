//! `weave`: merge three files.

use super::Exit;
use super::cli::WeaveArgs;
use anyhow::{Context, Result, bail};
use armistice_core::{Draft, Labels, MarkerStyle, Markers, Options, Source, plan, weave as woven};
use armistice_git::write_atomically;
use std::io::Write;
use std::path::Path;
use std::sync::Arc;

pub(super) fn weave(args: &WeaveArgs) -> Result<Exit> {
    let (base, ours, theirs) = (read(&args.base)?, read(&args.ours)?, read(&args.theirs)?);
    for (file, text) in [
        (&args.base, &base),
        (&args.ours, &ours),
        (&args.theirs, &theirs),
    ] {
        if text.is_binary() {
            bail!(
                "'{}' is binary; binary files are not merged line by line",
                file.display()
            );
        }
    }
    let draft = Draft::new(Arc::new(plan(&base, &ours, &theirs, &Options::default())));
    let label = |party: &str| match &args.name {
        Some(name) => format!("{party}:{name}"),
        None => party.to_owned(),
    };
    let labels = Labels {
        ours: label("ours"),
        base: label("base"),
        theirs: label("theirs"),
    };
    let markers = Markers {
        size: args.marker_size.into(),
        style: MarkerStyle::WithBase,
        labels,
    };
    let bytes = woven(&draft, &markers);
    match &args.output {
        Some(file) => write_atomically(file, &bytes, None)?,
        None => std::io::stdout()
            .lock()
            .write_all(&bytes)
            .context("cannot write to standard output")?,
    }
    Ok(match draft.counts().open {
        0 => Exit::Done,
        _ => Exit::Open,
    })
}

fn read(file: &Path) -> Result<Source> {
    let bytes = std::fs::read(file).with_context(|| format!("cannot read '{}'", file.display()))?;
    Ok(Source::new(bytes))
}
