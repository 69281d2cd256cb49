//! A bare pass over a table: what reading it costs at the very least. `bench/compare`
//! measures conversions against it.

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("name a table")?;
    let mut reader = csv::Reader::from_path(path)?;
    let mut record = csv::ByteRecord::new();
    let mut cells = 0;
    while reader.read_byte_record(&mut record)? {
        cells += record.len();
    }
    // The count keeps the work from being left out.
    if cells == 0 { Err("an empty table".into()) } else { Ok(()) }
}
