//! What must hold of any bytes from outside, for what `eutaxis-core` reads: no panic, no endless
//! loop, and what is written is read again.
//!
//! The fuzz targets call these, and so does an ordinary test over `corpus/`.

use eutaxis_core::Target;
use eutaxis_core::artifact::{
    EntryPoints, Metadata, NameRules, Record, WheelInfo, WheelName, unsafe_member,
};
use eutaxis_core::binary::{highest, is_binary, module_stem, named_abi, read};
use eutaxis_core::diagnose::{Context, Reader};
use eutaxis_core::examine::legacy_requirements;
use eutaxis_core::knowledge::{Causes, Families, Libraries};

/// Facts of ELF, Mach-O and PE files.
pub(crate) fn binary(bytes: &[u8]) {
    let _ = is_binary(bytes);
    for part in read(bytes).into_iter().flatten() {
        let _ = (
            part.python_abi("pkg/_core.so"),
            highest(&part.versions, "GLIBC"),
        );
    }
}

/// RECORD: what is read is written and read again as the same.
pub(crate) fn record(bytes: &[u8]) {
    if let Ok(record) = Record::parse(bytes) {
        let again = Record::parse(record.write().as_bytes()).expect("what was written can be read");
        assert_eq!(again.lines.len(), record.lines.len());
    }
}

/// METADATA, WHEEL, entry points, and requirements of the older form.
pub(crate) fn metadata(bytes: &[u8]) {
    let _ = WheelInfo::parse(bytes);
    let _ = EntryPoints::parse(bytes);
    let _ = legacy_requirements(&String::from_utf8_lossy(bytes));
    if let Ok(metadata) = Metadata::parse(bytes) {
        let text = metadata.to_text();
        let again = Metadata::parse(text.as_bytes()).expect("what was written can be read");
        assert_eq!(
            (again.name, again.version),
            (metadata.name, metadata.version)
        );
    }
}

/// Names of wheels against a target, and names of entries.
pub(crate) fn names(bytes: &[u8]) {
    let text = &*String::from_utf8_lossy(bytes);
    let target = Target::parse("cpython 3.11 / linux x86_64 glibc 2.35").expect("a target");
    if let Ok(name) = WheelName::parse(text) {
        let _ = (target.rank(&name.tags), target.tag_miss(&name.tags));
    }
    let _ = (
        unsafe_member(text, NameRules::Windows),
        module_stem(text),
        named_abi(text),
    );
}

/// Logs of any bytes, in pieces: every cause has words.
pub(crate) fn log(bytes: &[u8]) {
    let (families, libraries) = (Families::built_in(), Libraries::built_in());
    let context = Context {
        families: &families,
        libraries: &libraries,
        distributions: &[],
    };
    let causes = Causes::built_in();
    let mut reader = Reader::new(&causes, &context);
    bytes.chunks(61).for_each(|piece| reader.read(piece));
    for cause in reader.finish().causes {
        assert!(!cause.told(&causes, "linux").title.is_empty());
    }
}
