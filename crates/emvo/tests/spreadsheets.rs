//! Spreadsheet files as inputs and outputs: every sheet a table, cells as they are meant,
//! and broken books told in one sentence.
#![allow(clippy::unwrap_used, reason = "a test that cannot make its own books has failed")]

use std::io::{Cursor, Read as _, Write};

use crate::harness::{Case, calendar};
use rust_xlsxwriter::{ExcelDateTime, Format, Formula, Workbook, Worksheet};

const HEADERS: [&str; 5] = ["Datum", "Titel", "Beginn", "Ende", "Nr"];

/// A watch on 9 September, as an office types it: real dates and times, an id as text.
fn fill(sheet: &mut Worksheet, title: &str) {
    for (column, header) in (0..).zip(HEADERS) {
        sheet.write_string(2, column, header).unwrap();
    }
    sheet.write_string(0, 0, "Plan of the harbour office").unwrap();
    let date = ExcelDateTime::from_ymd(2026, 9, 9).unwrap();
    sheet.write_datetime_with_format(3, 0, &date, &Format::new().set_num_format("dd.mm.yyyy")).unwrap();
    sheet.write_string(3, 1, title).unwrap();
    for (column, hour) in [(2, 18), (3, 20)] {
        let time = ExcelDateTime::from_hms(hour, 30, 0.0).unwrap();
        sheet.write_datetime_with_format(3, column, &time, &Format::new().set_num_format("hh:mm")).unwrap();
    }
    sheet.write_string(3, 4, "0042").unwrap();
}

fn book(make: impl FnOnce(&mut Workbook)) -> Vec<u8> {
    let mut book = Workbook::new();
    make(&mut book);
    book.save_to_buffer().unwrap()
}

fn one_sheet(make: impl FnOnce(&mut Worksheet)) -> Vec<u8> {
    book(|book| make(book.add_worksheet()))
}

/// A book with a table, notes beside it, and a table that is hidden.
fn office_book() -> Vec<u8> {
    book(|book| {
        fill(book.add_worksheet().set_name("Autumn").unwrap(), "Watch");
        book.add_worksheet().set_name("Notes").unwrap().write_string(0, 0, "ask Olof").unwrap();
        let hidden = book.add_worksheet().set_name("Spring").unwrap();
        fill(hidden, "Old watch");
        hidden.set_hidden(true);
    })
}

fn titles(case: &Case, input: &str) -> Vec<String> {
    let answer = case.json(&["events", input, "--json"]);
    let events = answer["events"].as_array().unwrap();
    events.iter().map(|event| event["title"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn each_sheet_that_is_shown_is_an_input_and_a_hidden_one_by_name() {
    let case = Case::new().file("in/plan.xlsx", office_book());
    let run = case.ends(0, &["events", "in", "--zone", "Europe/Helsinki"]);
    assert!(run.stdout.contains("2026-09-09 18:30–20:30 Europe/Helsinki"), "{}", run.shown());
    assert_eq!(titles(&case, "in/plan.xlsx"), ["Watch"]);
    assert_eq!(titles(&case, "in/plan.xlsx#Spring"), ["Old watch"]);
    let survey = case.json(&["survey", "in", "--json"]);
    assert_eq!(survey["calendars"][0]["path"], "in/plan.xlsx#Autumn", "{survey:#}");
    let run = case.emvo(&["events", "in/plan.xlsx#Winter"]);
    assert!(
        run.stderr.contains("there is no `in/plan.xlsx#Winter`; there are in/plan.xlsx#Autumn"),
        "{}",
        run.stderr
    );
    // Text that looks like a number stays what it is.
    case.ends(0, &["convert", "in/plan.xlsx", "-o", "out.ics", "--no-ledger"]);
    assert!(case.read("out.ics").contains("X-EMVO-HEADER=Nr:0042"), "{}", case.read("out.ics"));
}

#[test]
fn a_record_of_a_sheet_has_the_digest_of_its_book() {
    // Made once: a new book says when it was made.
    let made = office_book();
    let case = Case::new().file("plan.xlsx", &made);
    case.ends(0, &["convert", "plan.xlsx", "-o", "out.ics", "--no-ledger"]);
    let answer = case.json(&["reconcile", "plan.xlsx", "--result", "out.ics", "--json"]);
    assert_eq!(answer["release"]["may_go"], true, "{answer:#}");
    let digest = <sha2::Sha256 as sha2::Digest>::digest(&made);
    let shown = answer["files"][0]["sha256"].as_str().unwrap();
    let bytes: Vec<u8> =
        (0..32).map(|at| u8::from_str_radix(&shown[2 * at..2 * at + 2], 16).unwrap()).collect();
    assert_eq!(bytes, digest.to_vec(), "{answer:#}");
}

#[test]
fn a_book_that_cannot_be_read_is_told_in_one_sentence_and_the_rest_goes_on() {
    let whole = office_book();
    let mut locked = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1".to_vec();
    locked.extend("EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes));
    let far = one_sheet(|sheet| {
        fill(sheet, "Watch");
        sheet.write_string(1_048_575, 16_383, "x").unwrap();
    });
    let watch = "BEGIN:VEVENT\nUID:w\nSUMMARY:Deck\nDTSTART:20260909T080000Z\nEND:VEVENT\n";
    for (name, bytes, why) in [
        ("cut.xlsx", whole[..whole.len() / 2].to_vec(), "it is a broken"),
        ("locked.xlsx", locked, "it is locked with a password"),
        ("old.xls", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 and no more".to_vec(), "it is a broken spreadsheet"),
        ("far.xlsx", far, "it has a cell in row 1048576 and column 16384"),
        ("blank.xlsx", one_sheet(|_| {}), "no sheet of it has anything in it"),
        (
            "notes.xlsx",
            one_sheet(|sheet| drop(sheet.write_string(0, 0, "ask Olof"))),
            "no sheet of it is a table of events (Sheet1)",
        ),
    ] {
        let case = Case::new().file(&format!("in/{name}"), bytes).file("in/deck.ics", calendar(watch));
        let run = case.ends(1, &["survey", "in"]);
        assert!(run.shown().contains(&format!("in/{name}")) && run.shown().contains(why), "{}", run.shown());
        assert!(run.stdout.contains("deck") && !run.stderr.contains("panicked"), "{}", run.shown());
        case.ends(2, &["survey", &format!("in/{name}")]);
    }
}

/// A sheet that cannot be read is told, whatever else is in the book.
#[test]
fn a_broken_sheet_is_never_passed_over() {
    let whole = book(|book| {
        fill(book.add_worksheet(), "Watch");
        fill(book.add_worksheet(), "Drill");
    });
    let mut zip = zip::ZipArchive::new(Cursor::new(whole)).unwrap();
    let mut broken = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for at in 0..zip.len() {
        let mut part = zip.by_index(at).unwrap();
        let (name, mut bytes) = (part.name().unwrap().to_string(), Vec::new());
        part.read_to_end(&mut bytes).unwrap();
        if name.ends_with("sheet2.xml") {
            bytes.truncate(bytes.len() / 2);
        }
        broken.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        broken.write_all(&bytes).unwrap();
    }
    let case = Case::new().file("crew.xlsx", broken.finish().unwrap().into_inner());
    let run = case.ends(2, &["check", "crew.xlsx", "--zone", "Europe/Helsinki"]);
    assert!(run.stderr.contains("its sheet `Sheet2` is broken"), "{run:?}");
}

#[test]
fn an_error_in_a_cell_costs_its_row_and_no_other() {
    let bytes = one_sheet(|sheet| {
        fill(sheet, "Watch");
        sheet.write_string(4, 1, "Lost").unwrap();
        sheet.write_formula(4, 0, Formula::new("=A99").set_result("#REF!")).unwrap();
    });
    let case = Case::new().file("plan.xlsx", bytes);
    let run = case.ends(1, &["check", "plan.xlsx"]);
    assert!(run.stdout.contains("C04") && run.stdout.contains("`#REF!`"), "{}", run.shown());
    assert_eq!(titles(&case, "plan.xlsx"), ["Watch"]);
}

#[test]
fn a_workbook_reads_back_as_what_it_was_written_from() {
    let more =
        "DTEND:20260909T093000Z\nLOCATION:=1+1\nCATEGORIES:Crew\nRRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT";
    let watch = "BEGIN:VEVENT\nUID:0042\nSUMMARY:Deck watch\nDTSTART:20260909T080000Z\nEND:VEVENT\n";
    let days = "BEGIN:VEVENT\nUID:2\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261008\nEND:VEVENT\n";
    let case = Case::new().file("in.ics", calendar(&(watch.replace("END:VEVENT", more) + days)));
    for name in ["out.xlsx", "again.xlsx"] {
        let run = case.ends(0, &["convert", "in.ics", "-o", name, "--no-ledger"]);
        assert!(run.stdout.contains("Nothing is lost."), "{}", run.shown());
    }
    let bytes = |name: &str| std::fs::read(case.path(name)).unwrap();
    assert_eq!(bytes("out.xlsx"), bytes("again.xlsx"));
    case.ends(0, &["convert", "out.xlsx", "-o", "back.csv", "--no-ledger"]);
    case.ends(0, &["convert", "in.ics", "-o", "direct.csv", "--no-ledger"]);
    assert_eq!(case.read("back.csv").replace("out,", "in,"), case.read("direct.csv").replace("out,", "in,"));
    let answer = case.json(&["reconcile", "in.ics", "--result", "out.xlsx", "--json"]);
    assert_eq!(answer["verdict"], "complete", "{answer:#}");
    // Lists and reports are workbooks as well, by their names.
    for typed in [
        &["dates", "in.ics", "-o", "dates.xlsx"][..],
        &["events", "in.ics", "-o", "events.xlsx"],
        &["check", "in.ics", "--report", "findings.xlsx"],
    ] {
        case.emvo(typed);
        assert!(bytes(typed[3]).starts_with(b"PK"), "{typed:?}");
    }
}

/// A review sheet, answered in a spreadsheet.
#[test]
fn answers_come_back_from_a_workbook() {
    let event = |uid: &str, title: &str| {
        format!(
            "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:20260909T080000Z\nDTEND:20260909T090000Z\nEND:VEVENT\n"
        )
    };
    let case = Case::new()
        .file("a.ics", calendar(&event("a", "Safety drill")))
        .file("b.ics", calendar(&event("b", "Copy of safety drill")));
    let merge = ["merge", "a.ics", "b.ics", "-o", "out.ics", "--overwrite", "--no-ledger"];
    case.emvo(&[&merge[..], &["--review", "pairs.xlsx"]].concat());
    let pairs = std::fs::read(case.path("pairs.xlsx")).unwrap();
    assert!(pairs.starts_with(b"PK"));
    for (answer, events) in [("same", 1), ("gleich", 1), ("sama", 1), ("different", 2), ("", 2)] {
        let bytes = one_sheet(|sheet| {
            let headers = ["answer", "source_a", "uid_a", "source_b", "uid_b"];
            let cells = [answer, "a.ics", "a", "b.ics", "b"];
            for (column, (header, cell)) in (0..).zip(headers.into_iter().zip(cells)) {
                sheet.write_string(0, column, header).unwrap();
                sheet.write_string(1, column, cell).unwrap();
            }
        });
        case.put("answered.xlsx", bytes);
        case.emvo(&[&merge[..], &["--answers", "answered.xlsx"]].concat());
        assert_eq!(case.read("out.ics").matches("BEGIN:VEVENT").count(), events, "{answer}");
    }
}

/// The file of a spreadsheet in the open form, with these rows.
fn open_document(rows: &str) -> Vec<u8> {
    let content = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><office:document-content \
         xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" \
         xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" \
         xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" office:version=\"1.2\"><office:body>\
         <office:spreadsheet><table:table table:name=\"Plan\">{rows}</table:table></office:spreadsheet>\
         </office:body></office:document-content>"
    );
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let manifest = "<?xml version=\"1.0\"?><manifest:manifest \
        xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>";
    for (name, text) in [
        ("mimetype", "application/vnd.oasis.opendocument.spreadsheet"),
        ("META-INF/manifest.xml", manifest),
        ("content.xml", &content),
    ] {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// The open form, whose times of day are lengths.
#[test]
fn an_open_document_is_read_the_same() {
    let cell = |kind: &str, value: &str, text: &str| {
        format!(
            "<table:table-cell office:value-type=\"{kind}\" {value}><text:p>{text}</text:p></table:table-cell>"
        )
    };
    let texts = |texts: &[&str]| texts.iter().map(|text| cell("string", "", text)).collect::<String>();
    let row = cell("date", "office:date-value=\"2026-09-09\"", "9.9.2026")
        + &texts(&["Watch"])
        + &cell("time", "office:time-value=\"PT18H30M00S\"", "18:30")
        + &cell("time", "office:time-value=\"PT20H30M00S\"", "20:30")
        + &texts(&["0042"]);
    let rows = format!(
        "<table:table-row>{}</table:table-row><table:table-row>{row}</table:table-row>",
        texts(&HEADERS)
    );
    let case = Case::new().file("plan.ods", open_document(&rows));
    let run = case.ends(0, &["events", "plan.ods"]);
    assert!(run.stdout.contains("2026-09-09 18:30–20:30") && run.stdout.contains("Watch"), "{}", run.shown());
}

/// A plan names columns in place, whatever the language of the header.
#[test]
fn a_plan_says_what_columns_are() {
    let plan = "[[source]]\npath = \"plan.csv\"\nzone = \"Europe/Helsinki\"\n\
        column = { title = \"Anlass\", carried = \"Fällig\" }\n\
        [[destination]]\nname = \"all\"\npath = \"out.ics\"\n";
    let table = "Anlass;Beginn;Ende;Fällig\nWache;2026-09-09 18:00;2026-09-09 20:00;2026-09-01\n";
    let case = Case::new().file("plan.toml", plan).file("plan.csv", table);
    case.ends(0, &["run", "plan.toml", "--no-ledger"]);
    let written = case.read("out.ics");
    assert!(
        written.contains("SUMMARY:Wache") && written.contains("X-EMVO-HEADER=Fällig:2026-09-01"),
        "{written}"
    );
    case.put("plan.toml", plan.replace("carried", "colour"));
    let run = case.ends(2, &["run", "plan.toml", "--no-ledger"]);
    assert!(
        run.stderr.contains("plan.toml:4:") && run.stderr.contains("there is no field `colour`"),
        "{}",
        run.stderr
    );
}

#[test]
fn a_list_to_hand_out_has_one_clock() {
    let at = |uid: &str, start: &str| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{uid}\nDTSTART{start}\nDURATION:PT1H\nEND:VEVENT\n")
    };
    let both = at("Tour", ";TZID=Europe/Helsinki:20260910T180000") + &at("Lecture", ":20260910T213000Z");
    let case = Case::new().file("in.ics", calendar(&both));
    let list = ["dates", "in.ics", "--fields", "start,title", "--overwrite", "-o", "list.csv"];
    let run = case.ends(2, &list);
    assert!(run.stderr.contains("several zones (Europe/Helsinki, UTC)"), "{}", run.stderr);
    for option in ["--express-in", "--zone"] {
        case.ends(0, &[&list[..], &[option, "Europe/Helsinki"]].concat());
        assert!(case.read("list.csv").contains("2026-09-11T00:30:00,Lecture"), "{}", case.read("list.csv"));
        // Days are those of the clock that is shown.
        let day = ["--from", "2026-09-11", "--until", "2026-09-11", option, "Europe/Helsinki"];
        case.ends(0, &[&list[..], &day[..]].concat());
        assert!(!case.read("list.csv").contains("Tour"), "{}", case.read("list.csv"));
        assert!(case.read("list.csv").contains("Lecture"), "{}", case.read("list.csv"));
    }
    case.ends(0, &["dates", "in.ics", "--fields", "start,zone,title", "-o", "zones.csv"]);
    // A line for the wall.
    let fields = "weekday,date,start_time,end_time,title,busy,private";
    let wall = ["dates", "in.ics", "--title", "Tour", "--fields", fields, "-o", "wall.csv"];
    case.ends(0, &wall);
    assert!(
        case.read("wall.csv").ends_with("Thursday,2026-09-10,18:00,19:00,Tour,busy,public\r\n"),
        "{}",
        case.read("wall.csv")
    );
}

#[test]
fn a_layout_without_the_last_day_is_refused_where_events_have_one() {
    let days = "BEGIN:VEVENT\nUID:d\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261008\nEND:VEVENT\n";
    let night =
        "BEGIN:VEVENT\nUID:n\nSUMMARY:Night\nDTSTART:20261005T220000\nDTEND:20261006T060000\nEND:VEVENT\n";
    let column = |field: &str| format!("[[column]]\nfield = \"{field}\"\n");
    let layout: String = ["title", "start_date", "start_time", "end_time"].map(column).concat();
    let case = Case::new()
        .file("days.ics", calendar(days))
        .file("night.ics", calendar(night))
        .file("layout.toml", &layout)
        .file("whole.toml", layout + &column("end_date"));
    let write = |input: &str, layout: &str, status: i32| {
        case.ends(
            status,
            &["convert", input, "--columns", layout, "-o", "out.csv", "--overwrite", "--no-ledger"],
        )
    };
    let run = write("days.ics", "layout.toml", 2);
    assert!(run.stderr.contains("no place for end_date, which 1 event has"), "{}", run.stderr);
    write("days.ics", "whole.toml", 0);
    write("night.ics", "layout.toml", 0);
}

#[test]
fn merged_cells_stand_for_those_below_and_hidden_rows_count() {
    let bytes = book(|book| {
        let plain = Format::new();
        let sheet = book.add_worksheet().set_name("Autumn").unwrap();
        // A header of two rows, and a date for two rows.
        sheet.merge_range(0, 0, 1, 0, "Datum", &plain).unwrap();
        sheet.merge_range(0, 1, 1, 1, "Titel", &plain).unwrap();
        sheet.merge_range(0, 2, 0, 3, "Zeit", &plain).unwrap();
        sheet.write_string(1, 2, "Von").unwrap();
        sheet.write_string(1, 3, "Bis").unwrap();
        sheet.merge_range(2, 0, 3, 0, "9.9.2026", &plain).unwrap();
        for (row, title, from, until) in [(2, "Drill", "08:00", "09:00"), (3, "Watch", "18:00", "20:00")] {
            for (column, cell) in [(1, title), (2, from), (3, until)] {
                sheet.write_string(row, column, cell).unwrap();
            }
        }
        sheet.set_row_hidden(3).unwrap();
        let hidden = book.add_worksheet().set_name("Spring").unwrap();
        fill(hidden, "Old watch");
        hidden.set_hidden(true);
    });
    let case = Case::new().file("plan.xlsx", bytes);
    let run = case.ends(0, &["events", "plan.xlsx"]);
    for span in ["2026-09-09 08:00–09:00", "2026-09-09 18:00–20:00"] {
        assert!(run.stdout.contains(span), "{}", run.shown());
    }
    assert!(run.stderr.contains("plan.xlsx#Autumn: 1 hidden row is there, and read"), "{}", run.stderr);
    assert!(run.stderr.contains("the sheet `Spring` is hidden and was not read"), "{}", run.stderr);
    let run = case.ends(0, &["events", "plan.xlsx", "--sheet", "spring"]);
    assert!(run.stdout.contains("Old watch") && !run.stdout.contains("Drill"), "{}", run.shown());
    let run = case.ends(2, &["events", "plan.xlsx", "--sheet", "Winter"]);
    assert!(run.stderr.contains("it has no sheet `Winter`"), "{}", run.stderr);
    assert!(run.stderr.contains("there are Autumn, Spring"), "{}", run.stderr);
}

/// The open form has merged cells and hidden rows as well.
#[test]
fn merged_cells_of_an_open_document_stand_for_those_below() {
    let cell = |more: &str, text: &str| {
        format!(
            "<table:table-cell office:value-type=\"string\" {more}><text:p>{text}</text:p></table:table-cell>"
        )
    };
    let row = |more: &str, cells: &str| format!("<table:table-row {more}>{cells}</table:table-row>");
    let header: String = ["Datum", "Titel"].map(|text| cell("", text)).concat();
    let first = cell("table:number-rows-spanned=\"2\"", "9.9.2026") + &cell("", "Drill");
    let second = "<table:covered-table-cell/>".to_owned() + &cell("", "Watch");
    let rows = row("", &header) + &row("", &first) + &row("table:visibility=\"filter\"", &second);
    let case = Case::new().file("plan.ods", open_document(&rows));
    let run = case.ends(0, &["events", "plan.ods"]);
    assert_eq!(run.stdout.matches("2026-09-09").count(), 2, "{}", run.shown());
    assert!(run.stderr.contains("1 hidden row is there"), "{}", run.stderr);
}

#[test]
fn an_answer_is_kept_as_a_columns_file() {
    let table = "Plan 2026\nAnlass;Beginn;Dauer\nWache;9.9. 18:00;1\n";
    let case = Case::new().file("plan.csv", table);
    let run = case.ends(2, &["survey", "plan.csv", "--save-columns", "plan.toml"]);
    assert!(run.stderr.contains("no column is sure to be the title"), "{}", run.stderr);
    let answers = ["--column", "title=Anlass", "--length-unit", "hours"];
    let run = case.ends(1, &[&["survey", "plan.csv", "--save-columns", "plan.toml"], &answers[..]].concat());
    assert!(run.shown().contains("`--columns plan.toml` reads such tables"), "{}", run.shown());
    let run =
        case.ends(0, &["convert", "plan.csv", "--columns", "plan.toml", "-o", "out.ics", "--no-ledger"]);
    assert!(run.stderr.contains("passed over as no event: row 1 \"Plan 2026\""), "{}", run.stderr);
    assert!(case.read("out.ics").contains("DURATION:PT1H"), "{}", case.read("out.ics"));
    let run = case.ends(2, &["survey", "plan.csv", "--save-columns", "plan.toml"]);
    assert!(run.stderr.contains("exists"), "{}", run.stderr);
    // Of two layouts neither is kept.
    case.put("other.csv", "Anlass,Start\nA,2026-09-09\n");
    let two = ["survey", "plan.csv", "other.csv", "--save-columns", "two.toml"];
    let run = case.ends(2, &[&two[..], &answers[..]].concat());
    assert!(run.stderr.contains("have other columns"), "{}", run.stderr);
}

#[test]
fn a_check_shows_tables_as_they_were_understood() {
    let table = "Title,Start,Private\nDrill,3/4/2026 18:00,\nWatch,25/4/2026 18:00,\nB,26/4/2026,\nC,27/4/2026,\n\
        Muster,28/4/2026,maybe\n";
    let case = Case::new().file("plan.csv", table);
    let run = case.ends(1, &["check", "plan.csv", "--zone", "Europe/Helsinki"]);
    for line in [
        "row 2: Fri 3 Apr 2026, 18:00 Europe/Helsinki, \"Drill\"",
        "row 4: Sun 26 Apr 2026, \"B\"",
        "row 6: Tue 28 Apr 2026, \"Muster\"",
    ] {
        assert!(run.stdout.contains(line), "{line}\n{}", run.shown());
    }
    assert!(!run.stdout.contains("row 5:"), "{}", run.shown());
    let answer = case.json(&["check", "plan.csv", "--json"]);
    assert_eq!(answer["tables"][0]["understood"][3]["row"], 6, "{answer:#}");
}

#[test]
fn lists_are_in_the_language_of_whoever_is_handed_them() {
    let at = |uid: &str, title: &str| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART;VALUE=DATE:20260909\nEND:VEVENT\n")
    };
    let case =
        Case::new().file("in.ics", calendar(&(at("1", "Östersund") + &at("2", "Åland") + &at("3", "Ärla"))));
    let order = |language: &str| {
        let fields = "weekday,date_in_words,month,title";
        case.ends(
            0,
            &["dates", "in.ics", "--fields", fields, "--language", language, "-o", "list.csv", "--overwrite"],
        );
        case.read("list.csv")
    };
    let swedish = order("sv");
    assert!(
        swedish.contains(
            "onsdag,9 september 2026,september,Åland\r\nonsdag,9 september 2026,september,Ärla\r\n"
        )
    );
    let german = order("de");
    assert!(german.contains("Mittwoch,9. September 2026,September,Åland\r\n"), "{german}");
    let run = case.ends(2, &["dates", "in.ics", "--language", "klingon"]);
    assert!(run.stderr.contains("--language `klingon`: write the code of a language"), "{}", run.stderr);
    case.ends(0, &["events", "in.ics", "--language", "fi", "--sort", "title"]);
}

#[test]
fn ids_that_a_spreadsheet_took_for_numbers_are_found_by_the_other_source() {
    let at = |uid: &str, title: &str| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:20260909T080000\nEND:VEVENT\n")
    };
    let events = at("0042", "Drill") + &at("20260909123456789", "Watch") + &at("007", "Muster");
    let table = "Title,Start,Uid\nDrill,2026-09-09 08:00,42\nWatch,2026-09-09 08:00,20260909123456700\n\
        Other,2026-09-09 08:00,7\nDeck,2026-09-09 08:00,43\n";
    let case = Case::new().file("in/crew.ics", calendar(&events)).file("in/plan.csv", table);
    let run = case.ends(1, &["check", "in", "--only", "C12", "--zone", "Europe/Helsinki"]);
    for line in ["the id `42` is `0042` in in/crew.ics", "the id `20260909123456700` is `20260909123456789`"]
    {
        assert!(run.stdout.contains(line), "{line}\n{}", run.shown());
    }
    assert!(run.stdout.contains("C12 id-damaged  2 findings"), "{}", run.shown());
}

#[test]
fn each_calendar_has_a_sheet_of_its_own() {
    let at = |uid: &str| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{uid}\nDTSTART;VALUE=DATE:20260909\nEND:VEVENT\n")
    };
    let named = |name: &str, uid: &str| calendar(&format!("X-WR-CALNAME:{name}\n{}", at(uid)));
    let case = Case::new()
        .file("in/a.ics", named("Crew", "Drill"))
        .file("in/b.ics", named("Deck: 2026/27", "Watch"))
        .file("in/c.ics", named("Crew", "Muster"));
    let run = case.ends(0, &["convert", "in", "-o", "all.xlsx", "--no-ledger"]);
    assert!(run.stdout.contains("3 events in; 3 written. Nothing is lost."), "{}", run.shown());
    for (sheet, title) in [("Crew", "Drill"), ("Deck  2026 27", "Watch"), ("Crew (2)", "Muster")] {
        assert_eq!(titles(&case, &format!("all.xlsx#{sheet}")), [title]);
    }
    let answer = case.json(&["reconcile", "in", "--result", "all.xlsx", "--json"]);
    assert_eq!(answer["verdict"], "complete", "{answer:#}");
}

/// Who writes on a reading that the cells alone do not say has to know it.
#[test]
fn a_reading_that_was_judged_is_told_by_whoever_writes() {
    for (table, told) in [
        (
            "Title,Start,End,All day\nA,2026-10-05,2026-10-06,yes\nB,2026-10-07,2026-10-08,yes\nC,2026-10-12,2026-10-13,yes\n",
            "t.csv: 3 rows of whole days with an end on a later day",
        ),
        (
            "Plan 2026\nTitle,Start\nA,9.9.\n",
            "t.csv: a date without a year: taken to be of 2026, as `Plan 2026` says",
        ),
        (
            "Title,Start\nA,Mon 9 Sep 2026\n",
            "t.csv row 2: `Mon` stands beside 2026-09-09, which is a Wednesday",
        ),
        ("Title,Start\nA,2026-09-01\nB,46270\n", "t.csv row 3: `46270` is a spreadsheet number among dates"),
        (
            "Title,Start,Private\nA,2026-09-01,HR only\n",
            "t.csv row 2: `HR only` says nothing that is known of private",
        ),
    ] {
        let case = Case::new().file("t.csv", table);
        for typed in [
            &["convert", "t.csv", "-o", "o.ics", "--no-ledger"][..],
            &["merge", "t.csv", "-o", "m.ics", "--no-ledger"],
        ] {
            let run = case.ends(0, typed);
            assert!(run.stderr.contains(told), "{told}\n{}", run.shown());
        }
        // Among findings it is not told a second time.
        let run = case.emvo(&["check", "t.csv"]);
        assert!(!run.stderr.contains(told), "{}", run.shown());
    }
}
