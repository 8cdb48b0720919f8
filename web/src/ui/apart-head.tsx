// The head of a table of differences: of each thing their mean, what ninety-nine of a hundred stay within, and the largest. `named`: what
// the rows are of is written out.
export function ApartHead({ of, named = false }: { of: string; named?: boolean }) {
  const column = (name: string) => (
    <th scope="col" className="pl-3 text-right font-normal">
      {name}
    </th>
  );
  return (
    <thead>
      <tr>
        <th scope="col" className={named ? "text-left font-normal" : "sr-only"}>
          {of}
        </th>
        {column("mean")}
        {column("99 % within")}
        {column("most")}
      </tr>
    </thead>
  );
}
