//! The ledger with several writers, foreign files and later versions.
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use emvo_ledger::{Account, Ledger, LedgerError, PackedReceipt};

fn packed(receipt: &str) -> PackedReceipt {
    PackedReceipt::of(|out| out.write_all(receipt.as_bytes())).unwrap()
}

#[test]
fn runs_come_back_with_their_receipts() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("state/emvo/ledger.sqlite");
    let account = Account { read: 10, written: 7, folded: 2, removed: 1, set_aside: 1, added: 1 };
    let receipt = "{\"a\":1}".repeat(10_000);
    let mut ledger = Ledger::open(&path).unwrap();
    assert_eq!(ledger.record("2026-11-23T10:00:00Z", "merge a.ics", account, &packed(&receipt)).unwrap(), 1);
    assert_eq!(
        ledger.record("2026-11-23T10:05:00Z", "pick b.ics", Account::default(), &packed("")).unwrap(),
        2
    );
    drop(ledger);
    assert!(std::fs::metadata(&path).unwrap().len() < 40_000, "receipts are packed");
    let ledger = Ledger::open(&path).unwrap();
    let runs = ledger.runs().unwrap();
    let commands: Vec<_> = runs.iter().map(|run| (run.number, run.command.as_str())).collect();
    assert_eq!(commands, [(2, "pick b.ics"), (1, "merge a.ics")]);
    assert_eq!((runs[1].account, runs[1].at.as_str()), (account, "2026-11-23T10:00:00Z"));
    assert_eq!(ledger.receipt(1).unwrap().unwrap(), receipt.as_bytes());
    assert_eq!(ledger.receipt(3).unwrap(), None);
}

#[test]
fn several_writers_wait_for_each_other() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ledger.sqlite");
    std::thread::scope(|scope| {
        for _ in 0..8 {
            scope.spawn(|| {
                for _ in 0..10 {
                    let mut ledger = Ledger::open(&path).unwrap();
                    ledger.record("now", "merge", Account::default(), &packed("x")).unwrap();
                }
            });
        }
    });
    let numbers: Vec<_> = Ledger::open(&path).unwrap().runs().unwrap().iter().map(|run| run.number).collect();
    assert_eq!(numbers, (1..=80).rev().collect::<Vec<_>>());
}

#[cfg(unix)]
#[test]
fn it_is_its_owners_alone() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ledger.sqlite");
    let mut ledger = Ledger::open(&path).unwrap();
    ledger.record("now", "merge", Account::default(), &packed("x")).unwrap();
    for entry in std::fs::read_dir(folder.path()).unwrap() {
        let entry = entry.unwrap();
        assert_eq!(entry.metadata().unwrap().permissions().mode() & 0o777, 0o600, "{:?}", entry.path());
    }
}

#[test]
fn what_is_no_ledger_is_an_error_and_stays() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ledger.sqlite");
    let text = "this is no database at all ".repeat(100);
    std::fs::write(&path, &text).unwrap();
    assert!(matches!(Ledger::open(&path), Err(LedgerError::Database(_))));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), text);
    let later = folder.path().join("later.sqlite");
    drop(Ledger::open(&later).unwrap());
    rusqlite::Connection::open(&later).unwrap().pragma_update(None, "user_version", 99).unwrap();
    assert!(matches!(Ledger::open(&later), Err(LedgerError::Version(99))));
}

#[test]
fn a_receipt_that_was_changed_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ledger.sqlite");
    let mut ledger = Ledger::open(&path).unwrap();
    for receipt in ["one", "two", "three"] {
        ledger.record("2026-11-30T02:00:00Z", "merge", Account::default(), &packed(receipt)).unwrap();
    }
    assert_eq!(ledger.verify().unwrap(), emvo_ledger::Verified { runs: 3, ..Default::default() });
    let database = rusqlite::Connection::open(&path).unwrap();
    // Another receipt in its place, a broken one, and one from before there were checksums.
    database
        .execute("UPDATE run SET receipt = (SELECT receipt FROM run WHERE number = 3) WHERE number = 1", [])
        .unwrap();
    database.execute("UPDATE run SET receipt = x'ffffff' WHERE number = 2", []).unwrap();
    database.execute("UPDATE run SET checksum = NULL WHERE number = 3", []).unwrap();
    let verified = ledger.verify().unwrap();
    assert_eq!((verified.runs, verified.without_checksum), (3, 1));
    assert_eq!(verified.faults.iter().map(|fault| fault.run).collect::<Vec<_>>(), [Some(1), Some(2)]);
    assert!(matches!(ledger.receipt(1), Err(LedgerError::Damaged(1))));
    assert_eq!(ledger.receipt(3).unwrap().unwrap(), b"three");
}

#[test]
fn the_database_of_another_program_is_left_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("other.sqlite");
    for setup in ["CREATE TABLE ship (name TEXT)", "PRAGMA application_id = 7"] {
        let _ = std::fs::remove_file(&path);
        rusqlite::Connection::open(&path).unwrap().execute_batch(setup).unwrap();
        let before = std::fs::read(&path).unwrap();
        if before.is_empty() {
            continue;
        }
        assert!(matches!(Ledger::open(&path), Err(LedgerError::Foreign)), "{setup}");
        assert_eq!(std::fs::read(&path).unwrap(), before);
    }
    std::fs::write(&path, "no database at all, but a letter of more than a hundred bytes, so that it is read as one, and found to be none").unwrap();
    assert!(Ledger::open(&path).is_err());
}

#[cfg(unix)]
#[test]
fn a_ledger_that_others_could_read_is_its_owners_alone_again() {
    use std::os::unix::fs::PermissionsExt as _;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("ledger.sqlite");
    drop(Ledger::open(&path).unwrap());
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o644)).unwrap();
    drop(Ledger::open(&path).unwrap());
    assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o600);
}
