//! PE, by the tables of imports and exports (PE and Mach-O formats).

use object::read::pe::{ImageNtHeaders, ImportTable, PeFile};
use object::{LittleEndian as LE, ReadRef, pe};

use super::device_code::{Holder, is_holder};
use super::{Binary, Format, MOST_ENTRIES, bad, text};
use eutaxis_standards::fault::Fault;

pub(super) fn read<'data, P: ImageNtHeaders, R: ReadRef<'data>>(data: R) -> Result<Binary, Fault> {
    let file = PeFile::<P, R>::parse(data).map_err(|_| bad("its headers"))?;
    let machine = file.nt_headers().file_header().machine.get(LE);
    let (arch, bits) = match machine {
        pe::IMAGE_FILE_MACHINE_I386 => ("i686".to_owned(), 32),
        pe::IMAGE_FILE_MACHINE_AMD64 => ("x86_64".to_owned(), 64),
        pe::IMAGE_FILE_MACHINE_ARM64 => ("aarch64".to_owned(), 64),
        pe::IMAGE_FILE_MACHINE_ARMNT => ("armv7l".to_owned(), 32),
        other => (
            format!("machine {}", other.0),
            if file.nt_headers().is_type_64() {
                64
            } else {
                32
            },
        ),
    };
    let mut binary = Binary::plain(Format::Pe, &arch, bits);
    for section in file
        .section_table()
        .iter()
        .filter(|s| is_holder(s.raw_name()))
    {
        let (at, size) = section.pe_file_range();
        let holder = Holder {
            data,
            name: text(section.raw_name()),
            at: at.into(),
            size: size.into(),
        };
        holder.read(&mut binary.code);
    }
    let outside = |_| bad("its table of imports leads out of it");
    if let Some(table) = file.import_table().map_err(outside)? {
        let mut libraries = table.descriptors().map_err(outside)?;
        while let Some(library) = libraries.next().map_err(outside)? {
            let name = text(table.name(library.name.get(LE)).map_err(outside)?);
            if name.to_ascii_lowercase().starts_with("python") {
                functions::<P>(&table, library, &mut binary);
            }
            binary.needs.push(name);
            if binary.needs.len() > MOST_ENTRIES {
                return Err(bad("it needs more libraries than can be believed"));
            }
        }
    }
    if let Some(table) = file
        .export_table()
        .map_err(|_| bad("its table of exports leads out of it"))?
    {
        for export in table
            .exports()
            .map_err(|_| bad("its table of exports leads out of it"))?
            .iter()
            .take(MOST_ENTRIES)
        {
            if let Some(name) = export.name.and_then(|n| std::str::from_utf8(n).ok()) {
                binary.note_symbol(name, false);
            }
        }
    }
    Ok(binary)
}

/// The functions of one library that are used by name.
fn functions<P: ImageNtHeaders>(
    table: &ImportTable<'_>,
    library: &pe::ImageImportDescriptor,
    binary: &mut Binary,
) {
    // Of the two equal lists the second is overwritten by the loader, and some linkers leave the
    // first out.
    let first = [
        library.original_first_thunk.get(LE),
        library.first_thunk.get(LE),
    ]
    .into_iter()
    .find(|a| *a != 0);
    let Some(mut thunks) = first.and_then(|a| table.thunks(a).ok()) else {
        return;
    };
    while let Ok(Some(thunk)) = thunks.next::<P>() {
        if let Ok(object::read::pe::Import::Name(_, name)) = table.import::<P>(thunk)
            && let Ok(name) = std::str::from_utf8(name)
        {
            binary.note_symbol(name, true);
        }
    }
}
