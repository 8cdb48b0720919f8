// The head of a table of differences: of each map their mean, what ninety-nine of a hundred stay within, and the largest.
export function ApartHead({ named = false }: { named?: boolean }) {
  const column = (name: string) => (
    <th scope="col" className="pl-3 text-right font-normal">
      {name}
    </th>
  );
  return (
    <thead>
      <tr>
        <th scope="col" className={named ? "text-left font-normal" : "sr-only"}>
          Map
        </th>
        {column("mean")}
        {column("99 % within")}
        {column("most")}
      </tr>
    </thead>
  );
}
