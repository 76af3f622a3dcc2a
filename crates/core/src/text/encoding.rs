//! Bytes made readable and back, for display and editing only; merging never decodes.

use encoding_rs::{Encoding as Table, UTF_8};

/// The character encoding that a text seems to have.
///
/// Only for showing and editing: nothing is merged or written by it but what was edited.
///
/// ```
/// use armistice_core::Encoding;
/// let latin = Encoding::detect(b"Gro\xdfe H\xf6he \xfcber Null\n");
/// assert_eq!(latin.decode(b"H\xf6he"), "Höhe");
/// assert_eq!(latin.encode("Höhe").unwrap(), b"H\xf6he");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Encoding(&'static Table);

impl Encoding {
    /// UTF-8 if `bytes` are that, else the most likely other one.
    pub fn detect(bytes: &[u8]) -> Self {
        if std::str::from_utf8(bytes).is_ok() {
            return Encoding(UTF_8);
        }
        let mut detector = chardetng::EncodingDetector::new(chardetng::Iso2022JpDetection::Deny);
        detector.feed(bytes, true);
        Encoding(detector.guess(None, chardetng::Utf8Detection::Deny))
    }

    /// Its usual name.
    pub fn name(self) -> &'static str {
        self.0.name()
    }

    /// The text for a person to read; what cannot be read becomes U+FFFD.
    pub fn decode(self, bytes: &[u8]) -> String {
        self.0.decode_without_bom_handling(bytes).0.into_owned()
    }

    /// The bytes of a text; `None` if this encoding has no bytes for some character.
    pub fn encode(self, text: &str) -> Option<Vec<u8>> {
        let (bytes, _, lossy) = self.0.encode(text);
        (!lossy).then(|| bytes.into_owned())
    }
}

/// Bytes in JSON: a string where they are UTF-8, else an array of numbers.
pub(crate) mod as_text {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    #[serde(untagged)]
    enum Form {
        Text(String),
        Bytes(Vec<u8>),
    }

    pub(crate) fn serialize<S: Serializer>(bytes: &[u8], to: S) -> Result<S::Ok, S::Error> {
        match std::str::from_utf8(bytes) {
            Ok(text) => Form::Text(text.to_owned()),
            Err(_) => Form::Bytes(bytes.to_vec()),
        }
        .serialize(to)
    }

    pub(crate) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<u8>, D::Error> {
        Ok(match Form::deserialize(from)? {
            Form::Text(text) => text.into_bytes(),
            Form::Bytes(bytes) => bytes,
        })
    }
}

/// Whether a character turns the direction of writing, or stands in a text without being seen.
///
/// ```
/// use armistice_core::is_hidden;
/// assert!(is_hidden('\u{202e}') && is_hidden('\u{ad}') && !is_hidden('é'));
/// ```
pub fn is_hidden(c: char) -> bool {
    matches!(c, '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{180e}'
        | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{3164}'
        | '\u{feff}' | '\u{ffa0}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_that_is_not_utf8_can_be_read_and_edited() {
        let latin = b"Gro\xdfe H\xf6he der Kr\xe4ne f\xfcr \xd6l\n";
        let encoding = Encoding::detect(latin);
        let text = encoding.decode(latin);
        assert!(text.contains("Höhe"), "{} as {}", text, encoding.name());
        assert_eq!(encoding.encode(&text).as_deref(), Some(&latin[..]));
        assert_eq!(encoding.encode("⚓"), None);
    }

    #[test]
    fn utf8_is_known_as_such() {
        assert_eq!(Encoding::detect("größer ⚓".as_bytes()).name(), "UTF-8");
    }
}
