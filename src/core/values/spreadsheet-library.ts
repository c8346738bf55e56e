export { default as readWorkbook, readSheet, SheetNotFoundError } from 'read-excel-file/universal';
