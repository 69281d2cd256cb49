//! A long file, deflated block by block on all cores, as the one file of a zip.
//!
//! A deflated stream may be flushed to a whole byte anywhere (RFC 1951 section 3.2.4, a stored block
//! without content), so what was deflated apart is one stream when it stands together:
//!
//! ```text
//! bytes    ▒▒▒▒▒▒▒▒▒▒▒ ░░░░░░░░░░░ ▓▓▓▓▓▓      blocks of a megabyte
//! stream   ▒▒▒|flush   ░░░░|flush  ▓▓|end      side by side
//! zip      head ▒▒▒|░░░░|▓▓ directory
//! ```
//!
//! What the library for zips cannot take ready-made is a head of 30 bytes and a directory of 68
//! (APPNOTE.TXT 6.3, sections 4.3.7, 4.3.12 and 4.3.16).

use flate2::{Compress, Compression, Crc, FlushCompress, Status};
use rayon::prelude::*;

/// So much is deflated in one go.
const BLOCK: usize = 1 << 20;

/// A zip of one nameless file; `None` where it is short, or too long for a plain zip.
pub(super) fn packed(bytes: &[u8], level: u32) -> Option<Vec<u8>> {
    if bytes.len() <= BLOCK {
        return None;
    }
    let blocks = bytes.len().div_ceil(BLOCK);
    let block = |(at, block): (usize, &[u8])| {
        let flush = if at + 1 == blocks { FlushCompress::Finish } else { FlushCompress::Sync };
        deflated(block, level, flush)
    };
    let (stream, checksum) = rayon::join(
        || bytes.par_chunks(BLOCK).enumerate().map(block).collect::<Option<Vec<_>>>(),
        || {
            let mut checksum = Crc::new();
            checksum.update(bytes);
            checksum.sum()
        },
    );
    zip_of(&stream?, bytes.len(), checksum)
}

fn deflated(block: &[u8], level: u32, flush: FlushCompress) -> Option<Vec<u8>> {
    // More than what cannot be deflated at all takes.
    let mut out = Vec::with_capacity(block.len() + block.len() / 8 + 1024);
    let mut stream = Compress::new(Compression::new(level), false);
    let status = stream.compress_vec(block, &mut out, flush).ok()?;
    let is_taken = usize::try_from(stream.total_in()) == Ok(block.len()) && out.len() < out.capacity();
    let is_ended = status == Status::StreamEnd || !matches!(flush, FlushCompress::Finish);
    out.shrink_to_fit();
    (is_taken && is_ended).then_some(out)
}

/// The head, the stream, and the directory of one file.
fn zip_of(stream: &[Vec<u8>], length: usize, checksum: u32) -> Option<Vec<u8>> {
    /// Deflated, by a program that knows version 2.0.
    const VERSION: u16 = 20;
    const METHOD: u16 = 8;
    /// The first day that a zip can name.
    const DAY: u16 = 0x21;
    const UNIX: u16 = 3 << 8;
    /// A file that its owner may read and write.
    const MODE: u32 = 0o100_600 << 16;
    let packed: usize = stream.iter().map(Vec::len).sum();
    let lengths = [u32::try_from(packed).ok()?, u32::try_from(length).ok()?];
    let common = |out: &mut Vec<u8>| {
        for word in [VERSION, 0, METHOD, 0, DAY] {
            out.extend(word.to_le_bytes());
        }
        for word in [checksum, lengths[0], lengths[1]] {
            out.extend(word.to_le_bytes());
        }
        // The lengths of a name and of extra fields.
        out.extend([0; 4]);
    };
    let mut out = Vec::with_capacity(packed + 98);
    out.extend(b"PK\x03\x04");
    common(&mut out);
    for block in stream {
        out.extend(block);
    }
    let directory = u32::try_from(out.len()).ok()?;
    out.extend(b"PK\x01\x02");
    out.extend((UNIX | VERSION).to_le_bytes());
    common(&mut out);
    // No comment, on the first disk, of no special kind.
    out.extend([0; 6]);
    out.extend(MODE.to_le_bytes());
    out.extend(0_u32.to_le_bytes());
    let size = u32::try_from(out.len()).ok()? - directory;
    out.extend(b"PK\x05\x06\0\0\0\0\x01\0\x01\0");
    out.extend(size.to_le_bytes());
    out.extend(directory.to_le_bytes());
    out.extend([0; 2]);
    Some(out)
}

#[cfg(test)]
mod tests {
    use std::io::{Cursor, Read};

    use super::*;

    #[test]
    fn what_is_packed_in_blocks_is_unpacked_as_one_file() {
        assert!(packed(&vec![7; BLOCK], 2).is_none(), "a short one is packed as usual");
        for length in [BLOCK + 1, 2 * BLOCK, 3 * BLOCK + 77] {
            // What repeats itself, and what cannot be deflated.
            let mut number = 1_u32;
            let mut noise = || {
                number = number.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                number.to_be_bytes()[0]
            };
            let noise: Vec<u8> = (0..length).map(|_| noise()).collect();
            let text: Vec<u8> = b"BEGIN:VEVENT\r\n".iter().copied().cycle().take(length).collect();
            for bytes in [noise, text] {
                let zip = packed(&bytes, 2).unwrap();
                let mut zip = zip::ZipArchive::new(Cursor::new(zip)).unwrap();
                assert_eq!(zip.len(), 1);
                let mut file = zip.by_index(0).unwrap();
                assert_eq!((file.unix_mode(), file.size()), (Some(0o100_600), length as u64));
                let mut read = Vec::new();
                file.read_to_end(&mut read).unwrap();
                assert!(read == bytes, "{length}");
            }
        }
    }
}
