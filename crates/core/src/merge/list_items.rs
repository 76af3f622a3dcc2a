//! Lines that are items of a list: imports, entries, bare names.

use crate::text::language::import_kind;
use crate::text::tokens::bracket;

pub(crate) const ENTRY: &str = "entry";

/// Whether a line's place follows from an order or from its neighbours' kind alone.
pub(crate) fn is_item(line: &[u8]) -> bool {
    let tag = |what: &str| {
        line.windows(what.len())
            .take(8)
            .any(|w| w == what.as_bytes())
    };
    kind_of(line).is_some_and(|kind| kind != ENTRY) || tag("@param") || tag(":param")
}

/// What kind of list item a line is; `None` if it is none that is kept in order.
pub(crate) fn kind_of(item: &[u8]) -> Option<&'static str> {
    if let Some(kind) = import_kind(item) {
        return kind;
    }
    if is_entry(item) {
        return Some(ENTRY);
    }
    // A bare string, or a bare name or string and a comma.
    let string = item.len() > 2 && item.starts_with(b"\"") && item.ends_with(b"\"");
    let body = item.strip_suffix(b",").or(string.then_some(item))?;
    let simple = body.iter().all(|b| {
        b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.' | b'"' | b'\'' | b'/' | b'@')
    });
    let kind = if string { "string" } else { "item," };
    (simple && !body.is_empty()).then_some(kind)
}

/// Whether a line is a name and what it stands for, the whole of it.
pub(crate) fn is_entry(item: &[u8]) -> bool {
    entry_name(item).is_some()
}

/// The name that such a line begins with.
pub(crate) fn entry_name(item: &[u8]) -> Option<&[u8]> {
    let named = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.');
    let quote = item.first().filter(|b| matches!(b, b'"' | b'\''));
    let rest = &item[usize::from(quote.is_some())..];
    let name = rest.iter().take_while(|b| named(b)).count();
    let mut rest = &rest[name..];
    if let Some(quote) = quote {
        match rest.split_first() {
            Some((end, after)) if end == quote => rest = after,
            _ => return None,
        }
    }
    let rest = rest.trim_ascii_start();
    let stands = match rest {
        [b':', b':', ..] | [b'=', b'=' | b'>', ..] => false,
        [b':' | b'=', value @ ..] => !value.trim_ascii().is_empty(),
        _ => false,
    };
    let depth = item.iter().fold(0isize, |depth, b| depth + bracket(*b));
    let from = usize::from(quote.is_some());
    (name > 0 && stands && depth == 0).then(|| &item[from..from + name])
}
