//! Objects by name: contents of many in one call.

use crate::process::error::Error;
use crate::process::invocation::{Git, Invocation};
use serde::Serialize;

/// Name of an object, in hexadecimal, of whichever length the repository uses.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, serde::Deserialize)]
#[serde(transparent)]
pub struct Oid(pub String);

/// Reads objects in order through one `cat-file --batch`.
///
/// # Errors
/// If git fails or an object is missing.
pub fn read_blobs(git: &impl Git, oids: &[Oid]) -> Result<Vec<Vec<u8>>, Error> {
    if oids.is_empty() {
        return Ok(Vec::new());
    }
    let names: Vec<u8> = oids
        .iter()
        .flat_map(|o| [o.0.as_bytes(), b"\n"].concat())
        .collect();
    let call = Invocation::read(["cat-file", "--batch", "--buffer"]).stdin(names);
    let output = git.must(&call)?;
    parse(&output.stdout, oids)
}

/// Parses `OID TYPE SIZE<LF>BYTES<LF>`, once for each object.
fn parse(mut bytes: &[u8], oids: &[Oid]) -> Result<Vec<Vec<u8>>, Error> {
    let mut out = Vec::with_capacity(oids.len());
    for oid in oids {
        let unreadable = || Error::Unreadable {
            command: "cat-file --batch".to_owned(),
            what: format!("object {} is missing or cut short", oid.0),
        };
        let (content, rest) = parse_one(bytes).ok_or_else(unreadable)?;
        out.push(content.to_vec());
        bytes = rest;
    }
    Ok(out)
}

fn parse_one(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let end = bytes.iter().position(|b| *b == b'\n')?;
    let head = std::str::from_utf8(&bytes[..end]).ok()?;
    let size: usize = head.rsplit_once(' ')?.1.parse().ok()?;
    let rest = &bytes[end + 1..];
    let content = rest.get(..size)?;
    Some((content, rest.get(size + 1..)?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn contents_may_hold_anything() {
        let oids = [Oid("a".into()), Oid("b".into())];
        let all = parse(b"a blob 3\nx\ny\nb blob 0\n\n", &oids).unwrap();
        assert_eq!(all, [b"x\ny".to_vec(), Vec::new()]);
    }

    #[test]
    fn a_missing_object_is_an_error() {
        assert!(parse(b"a missing\n", &[Oid("a".into())]).is_err());
    }
}
