fn main() {
    let ui = vein::Ui::from_sources([("test-bed.vein", "
holds own: {crop: string}[] = [{ crop: 'leek' }]
holds flag = false
holds s = 'a'
holds n = 3
derives d1 = n > 2
<p click='-> flag = !flag; s = s + 1; own.push({crop: s})'>{((flag && d1) ? s : (own[n]?.crop ?? 'none')).toUpperCase()}</p>
")]).unwrap();
    let mut page = ui.open("test-bed", ()).unwrap();
    println!("{}", page.set("n", 0).unwrap());
    println!("{}", page.set("n", 3).unwrap());
    println!("{}", page.set("n", 0).unwrap());
}
