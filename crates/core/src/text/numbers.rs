//! Numbers, versions and dates in a text.

/// Runs that begin like a number or a version, also as parts of a path.
pub(crate) fn numbers(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    let begins = |run: &[u8]| {
        let run = run.strip_prefix(b"v").unwrap_or(run);
        run.first().is_some_and(u8::is_ascii_digit)
    };
    let part = |b: &u8| {
        !(b.is_ascii_alphanumeric() || matches!(b, b'.' | b'-' | b'+' | b'_' | b':' | b'/'))
    };
    let parts = move |run| {
        // A date is one number, whatever parts it.
        let whole = begins(run).then_some(run);
        let inner = run.split(|b| *b == b'/').filter(move |_| whole.is_none());
        whole
            .into_iter()
            .chain(inner.filter(move |part| begins(part)))
    };
    text.split(part).flat_map(parts)
}
